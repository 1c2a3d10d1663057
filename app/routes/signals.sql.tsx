import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { Form, useFetcher, useSearchParams } from "react-router";
import { z } from "zod";
import { linesOfRows } from "#core/telemetry/sql-chart";
import { WORKBENCH_VIEWS } from "#server/workbench/views";
import type { Route } from "./+types/signals.sql";
import type { loader as runLoader } from "./signals.sql-run";
import { act, readForm } from "../shell/answers.server";
import { useChangeParams } from "../shell/params";
import { MOST_STATEMENT } from "../shell/sql";
import { MONO } from "../theme/theme";
import { useMounted } from "../ui/mounted";
import { PageHead, Problem, Section } from "../ui/Page";
import { SqlEditor } from "../ui/SqlEditor";
import { SqlResult } from "../ui/SqlResult";

export const meta: Route.MetaFunction = () => [{ title: "SQL · Holotaxis" }];

/** Statements to begin with. */
const EXAMPLES = [
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

export async function loader({ context }: Route.LoaderArgs) {
  return {
    saved: await context.ask("savedQueries", {}),
    views: WORKBENCH_VIEWS.map(({ name, takes, about, columns }) => ({ name, takes: takes ?? null, about, columns })),
  };
}

const schema = z.discriminatedUnion("what", [
  z.object({
    what: z.literal("save"),
    name: z.string().trim().min(1, "Give the query a name.").max(80, "A name has at most 80 characters."),
    sql: z.string().trim().min(1, "There is no query to save.").max(MOST_STATEMENT),
  }),
  z.object({ what: z.literal("remove"), id: z.coerce.number().int().min(1) }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done =
    value.what === "save"
      ? await act(context, request, "query.save", { name: value.name, sql: value.sql })
      : await act(context, request, "query.remove", { id: value.id });
  return done.ok ? { ok: true as const } : done.refusal;
}

export default function Sql({ loaderData: { saved, views }, actionData }: Route.ComponentProps) {
  const [params] = useSearchParams();
  const change = useChangeParams();
  const asked = params.get("q") ?? "";
  const [sql, setSql] = useState<string>(asked || EXAMPLES[0].sql);
  const fetcher = useFetcher<typeof runLoader>();
  const mounted = useMounted();
  const { load } = fetcher;
  const answer = fetcher.data;
  const busy = fetcher.state !== "idle";
  const run = (text: string) => {
    setSql(text);
    change((next) => next.set("q", text.slice(0, MOST_STATEMENT)), true);
  };
  useEffect(() => {
    if (asked) void load(`/signals/sql/run?q=${encodeURIComponent(asked)}`);
  }, [asked, load]);
  const again = () => (sql === asked ? void load(`/signals/sql/run?q=${encodeURIComponent(sql)}`) : run(sql));
  const lines = answer?.ok ? linesOfRows(answer.result.columns, answer.result.rows) : undefined;
  const sentence = busy
    ? "The query is running; it is stopped after ten seconds."
    : answer?.ok
      ? `${answer.result.rows.length.toLocaleString("en-GB")}${answer.result.more ? " rows are shown, and there are more" : answer.result.rows.length === 1 ? " row" : " rows"}, in ${Math.max(1, Math.round(answer.result.tookMs))} ms.`
      : "Query the store in SQL: everything stored can be joined, nothing can be changed.";
  return (
    <>
      <PageHead
        name="Signals › SQL"
        sentence={sentence}
        actions={
          <>
            <Button variant="contained" onClick={again} disabled={busy || !sql.trim()}>
              Run (Ctrl+Enter)
            </Button>
            {answer?.ok ? (
              <Button
                variant="outlined"
                component="a"
                href={`/signals/sql.csv?q=${encodeURIComponent(answer.sql)}`}
                download
              >
                CSV
              </Button>
            ) : null}
          </>
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Problem>{answer && !answer.ok ? answer.problem : null}</Problem>
      <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr) 300px", gap: 1.5, alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          {mounted ? (
            <SqlEditor views={views} value={sql} onChange={setSql} onRun={again} />
          ) : (
            <Box
              component="pre"
              sx={{
                m: 0,
                p: 1,
                height: 180,
                fontFamily: MONO,
                fontSize: "0.82rem",
                bgcolor: "background.paper",
                border: 1,
                borderColor: "divider",
                overflow: "auto",
              }}
            >
              {sql}
            </Box>
          )}
          <Form method="post">
            <input type="hidden" name="what" value="save" />
            <input type="hidden" name="sql" value={sql} />
            <Stack direction="row" sx={{ gap: 1 }}>
              <TextField name="name" label="Save as" sx={{ width: 320 }} slotProps={{ htmlInput: { maxLength: 80 } }} />
              <Button type="submit" variant="outlined">
                Save
              </Button>
            </Stack>
          </Form>
          {answer?.ok ? <SqlResult columns={answer.result.columns} rows={answer.result.rows} lines={lines} /> : null}
        </Stack>
        <Stack sx={{ gap: 1.5 }}>
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
                    <Button
                      type="submit"
                      color="error"
                      sx={{ minWidth: 0, py: 0.25 }}
                      aria-label={`Remove ${one.name}`}
                    >
                      Remove
                    </Button>
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
          <Section title="Tables and columns">
            <Box
              component="dl"
              sx={{
                m: 0,
                fontSize: "0.8rem",
                "& dt": { fontFamily: MONO, fontWeight: 600, mt: 0.75 },
                "& dd": { m: 0 },
              }}
            >
              {views.map((view) => (
                <Box key={view.name}>
                  <dt>{view.takes ? `${view.name}(${view.takes})` : view.name}</dt>
                  <dd>
                    {view.about}
                    <Typography component="span" variant="caption" sx={{ display: "block", color: "text.secondary" }}>
                      {view.columns.map(([name]) => name).join(", ")}
                    </Typography>
                  </dd>
                </Box>
              ))}
            </Box>
          </Section>
        </Stack>
      </Box>
    </>
  );
}
