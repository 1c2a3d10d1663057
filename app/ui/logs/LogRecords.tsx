import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import { clockTime, DAY_MS, dayAndTime, MINUTE_MS } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useMoveWindow, useShell } from "../../shell/window";
import { MONO } from "../../theme/theme";
import { around } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { LogLevelWord } from "./LogLevelWord";
import { Fact, WordButton } from "../Page";
import { PlainTable } from "../PlainTable";
import { Rows } from "../Rows";

type Row = Answer<"logs">["rows"][number];
type Detail = NonNullable<Answer<"log">>;

const withMilliseconds = (text: string, atMs: number) => `${text}.${String(atMs % 1000).padStart(3, "0")}`;
const instant = (atMs: number, nowMs: number) => withMilliseconds(dayAndTime(atMs, nowMs, true), atMs);

/** Records, newest first; one at a time can be opened for everything about it. */
export function LogRecords({
  rows,
  next,
  more,
  onPage,
  onPattern,
}: {
  rows: readonly Row[];
  next: number | null;
  more: boolean;
  onPage: (before: number | null) => void;
  onPattern: (id: number) => void;
}) {
  const { window: now } = useShell();
  const [open, setOpen] = useState<number | null>(null);
  const isToday = ({ atMs }: Row) => Math.floor(atMs / DAY_MS) === Math.floor(now.nowMs / DAY_MS);
  return (
    <Box sx={{ minWidth: 0, bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1 }}>
      <PlainTable aria-label="Log records" style={{ tableLayout: "fixed" }}>
        <thead>
          <tr>
            <th scope="col" style={{ width: rows.every(isToday) ? 118 : 196 }}>
              Time
            </th>
            <th scope="col" style={{ width: 74 }}>
              Severity
            </th>
            <th scope="col" style={{ width: 210 }}>
              Source
            </th>
            <th scope="col">Message</th>
          </tr>
        </thead>
        <tbody>
          <Rows rows={rows} columns={4}>
            {(row) => (
              <Record
                key={row.id}
                row={row}
                isToday={isToday(row)}
                open={open === row.id}
                onOpen={() => setOpen(open === row.id ? null : row.id)}
                onPattern={onPattern}
              />
            )}
          </Rows>
        </tbody>
      </PlainTable>
      {next !== null || more ? (
        <Stack direction="row" sx={{ gap: 1, p: 1 }}>
          {more ? (
            <Button variant="outlined" onClick={() => onPage(null)}>
              Newest
            </Button>
          ) : null}
          {next === null ? null : (
            <Button variant="outlined" onClick={() => onPage(next)}>
              Older
            </Button>
          )}
        </Stack>
      ) : null}
    </Box>
  );
}

function Record({
  row,
  isToday,
  open,
  onOpen,
  onPattern,
}: {
  row: Row;
  isToday: boolean;
  open: boolean;
  onOpen: () => void;
  onPattern: (id: number) => void;
}) {
  const { window: now } = useShell();
  return (
    <>
      <tr>
        <td className="line top hx-stamp">
          {isToday ? withMilliseconds(clockTime(row.atMs, true), row.atMs) : instant(row.atMs, now.nowMs)}
        </td>
        <td className="top">
          <LogLevelWord level={row.level} />
        </td>
        <td className="top cut" title={row.sender}>
          {row.componentId === null ? row.sender : <KeepLink to={`/estate/${row.componentId}`}>{row.sender}</KeepLink>}
        </td>
        <td className="hx-wrap">
          <WordButton mono expanded={open} onClick={onOpen}>
            {row.body || "(empty)"}
          </WordButton>
        </td>
      </tr>
      {open ? (
        <tr>
          <td colSpan={4} style={{ background: "var(--hx-raised)" }}>
            <Opened id={row.id} onPattern={onPattern} />
          </td>
        </tr>
      ) : null}
    </>
  );
}

function Opened({ id, onPattern }: { id: number; onPattern: (id: number) => void }) {
  const fetcher = useFetcher<Detail>();
  const { load } = fetcher;
  const move = useMoveWindow();
  const { window: now } = useShell();
  useEffect(() => {
    void load(`/signals/logs/${id}`);
  }, [load, id]);
  const record = fetcher.data;
  if (!record) return <Typography variant="body2">Searching …</Typography>;
  return (
    <Stack sx={{ gap: 1, py: 0.5 }}>
      <Stack direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
        {record.componentId === null ? null : (
          <>
            <KeepLink to={`/estate/${record.componentId}?${around(record.atMs)}`}>{record.sender}</KeepLink>
            <KeepLink to={`/signals/logs?component=${record.componentId}`}>all logs of this source</KeepLink>
          </>
        )}
        {record.traceId ? (
          <>
            <KeepLink to={`/signals/traces/${record.traceId}`}>its trace</KeepLink>
            <KeepLink to={`/signals/logs?trace=${record.traceId}`}>all records of this trace</KeepLink>
          </>
        ) : null}
        <Button
          size="small"
          sx={{ py: 0 }}
          onClick={() => move.fix(record.atMs - 2 * MINUTE_MS, record.atMs + 2 * MINUTE_MS)}
        >
          everything within ±2 min
        </Button>
      </Stack>
      <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "repeat(3, minmax(0, 1fr))", gap: 1, m: 0 }}>
        <Fact name="Time">{instant(record.atMs, now.nowMs)}</Fact>
        <Fact name="Matched by">{record.matchedBy}</Fact>
        {[...record.attributes, ...record.resource].map((one) => (
          <Fact key={one.name} name={one.name}>
            {one.value}
          </Fact>
        ))}
      </Box>
      {record.pattern ? (
        <Typography variant="body2">
          Pattern{" "}
          <Button
            size="small"
            sx={{ py: 0, fontFamily: MONO, textAlign: "left" }}
            onClick={() => onPattern(record.pattern?.id as number)}
          >
            {record.pattern.text}
          </Button>
          , {record.pattern.count.toLocaleString("en-GB")} times since {dayAndTime(record.pattern.firstMs, now.nowMs)}
        </Typography>
      ) : null}
      <Box>
        <Typography variant="h3" component="h2" sx={{ mb: 0.25 }}>
          Before and after, from the same source
        </Typography>
        <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none", fontFamily: MONO, fontSize: "0.78rem" }}>
          {record.neighbours.map((one) => (
            <Box
              component="li"
              key={one.id}
              sx={{ display: "flex", gap: 1, fontWeight: one.id === record.id ? 700 : 400 }}
            >
              <span
                style={{ whiteSpace: "nowrap" }}
              >{`${clockTime(one.atMs, true)}.${String(one.atMs % 1000).padStart(3, "0")}`}</span>
              <span style={{ width: 62, flex: "none" }}>
                <LogLevelWord level={one.level} />
              </span>
              <span style={{ overflowWrap: "anywhere" }}>{one.body}</span>
            </Box>
          ))}
        </Box>
      </Box>
    </Stack>
  );
}
