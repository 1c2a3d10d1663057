import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { formatValue } from "#core/units/format";
import { KeepLink } from "../KeepLink";
import { KindGlyph } from "../KindGlyph";
import { Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { SeverityMark } from "../SeverityMark";
import type { ComponentData } from "./page";

/** What it talks to, what calls it, what runs on it and what it is wired to. */
export function Neighbours({ page }: { page: ComponentData }) {
  const isHost = page.component.host_id === null;
  return (
    <Stack sx={{ gap: 1.5, minWidth: 0 }}>
      <Section id="relations" title="Talks to" pad={false}>
        <Talks rows={page.called} showOwn={isHost} empty="No outgoing connections seen." />
      </Section>
      <Section title="Called by" pad={false}>
        <Talks rows={page.callers} showOwn={isHost} empty="No incoming connections seen." />
      </Section>
      <div>
        <KeepLink to={`/estate/${page.component.id}/relations`}>Relations by hand</KeepLink>
      </div>
      {page.parts.length ? (
        <Section title={isHost ? "Runs on this host" : "Runs in this container"}>
          <Stack component="ul" direction="row" sx={{ gap: 1.5, flexWrap: "wrap", p: 0, m: 0, listStyle: "none" }}>
            {page.parts.map((part) => (
              <Stack component="li" key={part.id} direction="row" sx={{ gap: 0.75, alignItems: "center" }}>
                <KindGlyph kind={part.kind} />
                <KeepLink to={`/estate/${part.id}`}>{part.label}</KeepLink>
              </Stack>
            ))}
          </Stack>
        </Section>
      ) : null}
      {page.wired.length ? (
        <Section title="Connected to">
          <Stack component="ul" direction="row" sx={{ gap: 1.5, flexWrap: "wrap", p: 0, m: 0, listStyle: "none" }}>
            {page.wired.map((wire) => (
              <li key={wire.other.id}>
                <KeepLink to={`/estate/${wire.other.id}`}>{wire.other.name}</KeepLink>{" "}
                <span style={{ color: "var(--mui-palette-text-secondary)" }}>{wire.detail}</span>
              </li>
            ))}
          </Stack>
        </Section>
      ) : null}
    </Stack>
  );
}

function Talks({ rows, showOwn, empty }: { rows: ComponentData["called"]; showOwn: boolean; empty: string }) {
  if (!rows.length)
    return (
      <Box sx={{ px: 1.5 }}>
        <Empty>{empty}</Empty>
      </Box>
    );
  return (
    <PlainTable>
      <tbody>
        {rows.map((row) => (
          <tr key={`${row.own.id}-${row.other.id}-${row.detail}`}>
            {showOwn ? <td>{row.own.label}</td> : null}
            <td>
              <Stack direction="row" sx={{ gap: 0.75, alignItems: "center" }}>
                <SeverityMark severity={row.other.severity} size={15} />
                <KeepLink to={`/estate/${row.other.id}`}>{row.other.name}</KeepLink>
              </Stack>
            </td>
            <td>{row.detail}</td>
            <td className="num">
              {row.calls
                ? `${row.calls.calls.toLocaleString("en-GB")} calls, ${row.calls.failed ? `${row.calls.failed.toLocaleString("en-GB")} failed, ` : ""}95 % within ${formatValue(row.calls.p95Ms, "ms")}`
                : row.connections
                  ? `${row.connections} open`
                  : ""}
            </td>
            <td>
              <Typography variant="caption" sx={{ color: "text.secondary" }}>
                seen by {row.seenBy === "both" ? "both ends" : row.seenBy === "spans" ? "spans" : `the ${row.seenBy}`}
              </Typography>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
