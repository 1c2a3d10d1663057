import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { rulePreview } from "#server/pages/setup";
import { KeepLink } from "./KeepLink";
import { Section } from "./Page";
import { PlainTable } from "./PlainTable";

type Preview = Extract<ReturnType<typeof rulePreview>, { ok: true }>;

/** What a rule would have raised in the window, before it is saved. */
export function RulePreview({ preview, over }: { preview: Preview; over: string }) {
  const { series, of, replayed, raised, hits, more, words, incidents } = preview;
  const partly = replayed < series ? ` (${replayed} of ${series} ${of} replayed)` : "";
  return (
    <Section title="Preview" pad={false}>
      <Box sx={{ p: 1.5 }} role="status">
        <Typography>{words}.</Typography>
        <Typography>
          {series === 0
            ? "Nothing in this scope measures that, so the rule would never raise an alarm."
            : `Over the last ${over}, it would have raised ${raised} ${raised === 1 ? "alarm" : "alarms"} on ${hits.length + more} of ${series} ${series === 1 && of !== "series" ? of.slice(0, -1) : of}${partly}.`}
        </Typography>
        <Typography>
          {incidents.length
            ? `${incidents.length === 1 ? "There was 1 incident" : `There were ${incidents.length} incidents`} in that time: `
            : "There were no incidents in that time."}
          {incidents.slice(0, 5).map((one, index) => (
            <span key={one.id}>
              {index ? ", " : ""}
              <KeepLink to={`/incidents/${one.id}`}>{one.title}</KeepLink> ({dayAndTime(one.atMs)})
            </span>
          ))}
          {incidents.length > 5 ? ` and ${incidents.length - 5} more` : ""}
        </Typography>
      </Box>
      {hits.length ? (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">On</th>
              <th scope="col" className="num">
                Alarms
              </th>
              <th scope="col" className="num">
                Time in alarm
              </th>
            </tr>
          </thead>
          <tbody>
            {hits.map((hit) => (
              <tr key={`${hit.name}${hit.instance}`}>
                <td>{hit.instance ? `${hit.name}, ${hit.instance}` : hit.name}</td>
                <td className="num">{hit.raised}</td>
                <td className="num">{spokenDuration(hit.standingMs)}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : null}
    </Section>
  );
}
