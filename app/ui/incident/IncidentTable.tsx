import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import type { BulkAnswer } from "../../shell/incident-bulk.server";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption, Problem } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";
import { SeverityLabel } from "../SeverityMark";

type Line = Answer<"incidents">[number];

/** What it was, or what it most likely is. */
function causeWords({ confirmed, causes: [first] }: Line): string {
  if (confirmed) return `it was ${confirmed.name}`;
  return first ? `likeliest cause ${first.name}, ${Math.round(first.probability * 100)} %` : "";
}

/** Incidents as a list; those that are ticked are taken, handed over or merged together. */
export function IncidentTable({
  rows,
  people,
  answer,
}: {
  rows: readonly Line[];
  people: readonly string[];
  answer: BulkAnswer | undefined;
}) {
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  // What is not listed any more is not acted on.
  const chosen = rows.filter((row) => row.isOpen && ticked.has(row.id)).map((row) => row.id);
  const open = rows.filter((row) => row.isOpen);
  const toggle = (ids: readonly number[], on: boolean) =>
    setTicked((before) => {
      const next = new Set(before);
      for (const id of ids)
        if (on) next.add(id);
        else next.delete(id);
      return next;
    });
  return (
    <Form method="post" onSubmit={() => setTicked(new Set())}>
      {chosen.map((id) => (
        <input key={id} type="hidden" name="incident" value={id} />
      ))}
      {open.length ? <Bulk count={chosen.length} people={people} answer={answer} /> : null}
      <PlainTable>
        <thead>
          <tr>
            {open.length ? (
              <th scope="col">
                <input
                  type="checkbox"
                  aria-label="Choose all open incidents"
                  checked={chosen.length === open.length}
                  onChange={({ target }) =>
                    toggle(
                      open.map((row) => row.id),
                      target.checked,
                    )
                  }
                />
              </th>
            ) : null}
            <th scope="col">Severity</th>
            <th scope="col" className="num">
              Priority
            </th>
            <th scope="col">Incident</th>
            <th scope="col">Since</th>
            <th scope="col">Duration</th>
            <th scope="col" className="num">
              Alarms
            </th>
            <th scope="col">With</th>
            <th scope="col">State</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <Row
              key={row.id}
              row={row}
              {...(open.length ? { tick: { on: ticked.has(row.id), turn: (on) => toggle([row.id], on) } } : {})}
            />
          ))}
        </tbody>
      </PlainTable>
    </Form>
  );
}

/** @param tick whether it is ticked, where anything can be */
function Row({ row, tick }: { row: Line; tick?: { on: boolean; turn: (on: boolean) => void } }) {
  const { window: now } = useShell();
  return (
    <tr>
      {tick ? (
        <td>
          {row.isOpen ? (
            <input
              type="checkbox"
              aria-label={`Choose incident ${row.id}`}
              checked={tick.on}
              onChange={({ target }) => tick.turn(target.checked)}
            />
          ) : null}
        </td>
      ) : null}
      <td>
        <SeverityLabel severity={row.isOpen && row.severity !== "cleared" ? row.severity : row.worst} />
      </td>
      <td className="num">{row.shownPriority}</td>
      <td>
        <KeepLink to={`/incidents/${row.id}`} strong={row.isOpen}>
          {row.title}
        </KeepLink>
        <Caption>{causeWords(row)}</Caption>
      </td>
      <td>{dayAndTime(row.opened_at, now.nowMs)}</td>
      <td>{spokenDuration((row.isOpen ? now.atMs : (row.resolved_at as number)) - row.opened_at)}</td>
      <td className="num">{row.alarmCount}</td>
      <td>{row.taken_by ?? "nobody"}</td>
      <td>{row.isOpen ? (row.waiting_for ? `waits for ${row.waiting_for}` : "open") : "resolved"}</td>
    </tr>
  );
}

/** What can be done to all that are ticked, and what became of it. */
function Bulk({ count, people, answer }: { count: number; people: readonly string[]; answer: BulkAnswer | undefined }) {
  const busy = useNavigation().state !== "idle";
  const [to, setTo] = useState("");
  const off = busy || count === 0;
  return (
    <Stack sx={{ p: 1, gap: 1 }}>
      <Stack direction="row" sx={{ gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <span className="hx-quiet">{count ? `${count} chosen` : "Choose open incidents to act on together"}</span>
        <RightButton right="respond" type="submit" name="intent" value="take" size="small" disabled={off}>
          Take
        </RightButton>
        <RightButton right="respond" type="submit" name="intent" value="merge" size="small" disabled={off || count < 2}>
          Merge into the oldest
        </RightButton>
        <TextField
          select
          label="Hand over to"
          name="to"
          value={to}
          onChange={(event) => setTo(event.target.value)}
          sx={{ width: 190 }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          <MenuItem value="">nobody yet</MenuItem>
          {people.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
        <RightButton
          right="respond"
          type="submit"
          name="intent"
          value="handover"
          size="small"
          disabled={off || to === ""}
        >
          Hand over
        </RightButton>
      </Stack>
      {answer?.said ? <span role="status">{answer.said}</span> : null}
      <Problem>{answer?.refused.length ? answer.refused.join(" ") : null}</Problem>
    </Stack>
  );
}
