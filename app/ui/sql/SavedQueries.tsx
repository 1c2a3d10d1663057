import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Form } from "react-router";
import type { Answer } from "#server/pages/registry";
import { Section } from "../Page";
import { RightButton } from "../RightButton";

/** Statements to begin with. */
export const EXAMPLES = [
  {
    name: "Errors of each pattern today, by hour",
    sql: "SELECT substr(minute, 1, 13) AS hour, pattern, sum(count) AS records\nFROM log_counts\nWHERE severity >= 17 AND minute >= strftime('%Y-%m-%d', (SELECT max(minute) FROM log_counts))\nGROUP BY hour, pattern\nORDER BY hour",
  },
  {
    name: "Slowest operations, with their services",
    sql: "SELECT m.service, s.operation, count(*) AS calls, sum(s.failed) AS failed,\n       round(avg(s.milliseconds), 1) AS mean_ms, round(max(s.milliseconds), 1) AS longest_ms\nFROM spans s JOIN members m ON m.component = s.component\nWHERE s.kind = 2\nGROUP BY m.service, s.operation\nORDER BY mean_ms DESC\nLIMIT 30",
  },
  {
    name: "Changes on components that had an alarm within two hours",
    sql: "SELECT x.at, x.component, x.summary, a.raised, a.text\nFROM changes x JOIN alarms a ON a.component = x.component\n  AND a.raised BETWEEN x.at AND strftime('%Y-%m-%dT%H:%M:%fZ', x.at, '+2 hours')\nORDER BY x.at DESC",
  },
] as const;

/** Queries that were saved, and some to begin with. */
export function SavedQueries({ saved, onRun: run }: { saved: Answer<"savedQueries">; onRun: (sql: string) => void }) {
  return (
    <Section title="Saved queries">
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none", fontSize: "0.84rem" }}>
        {saved.map((one) => (
          <Stack component="li" direction="row" key={one.id} sx={{ alignItems: "center" }}>
            <Button
              sx={{ flex: 1, justifyContent: "flex-start", textAlign: "left", py: 0.25 }}
              onClick={() => run(one.sql)}
              title={`saved by ${one.madeBy}`}
            >
              {one.name}
            </Button>
            <Form method="post">
              <input type="hidden" name="what" value="remove" />
              <input type="hidden" name="id" value={one.id} />
              <RightButton
                right="respond"
                type="submit"
                color="error"
                sx={{ minWidth: 0, py: 0.25 }}
                aria-label={`Remove ${one.name}`}
              >
                Remove
              </RightButton>
            </Form>
          </Stack>
        ))}
        {EXAMPLES.map((one) => (
          <li key={one.name}>
            <Button
              color="inherit"
              sx={{ justifyContent: "flex-start", textAlign: "left", py: 0.25, fontWeight: 400 }}
              onClick={() => run(one.sql)}
            >
              {one.name}
            </Button>
          </li>
        ))}
      </Box>
    </Section>
  );
}
