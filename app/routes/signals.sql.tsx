import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { Form, useFetcher, useSearchParams } from "react-router";
import { z } from "zod";
import { linesOfRows } from "#core/telemetry/sql-chart";
import { WORKBENCH_VIEWS } from "#server/workbench/views";
import type { Route } from "./+types/signals.sql";
import { useAnswer } from "../shell/answer";
import type { loader as runLoader } from "./signals.sql-run";
import { act, readForm, formOf } from "../shell/answers.server";
import { useChangeParams } from "../shell/params";
import { MOST_STATEMENT } from "../shell/sql";
import { MONO } from "../theme/theme";
import { useMounted } from "../ui/mounted";
import { PageHead, Problem } from "../ui/Page";
import { EXAMPLES, SavedQueries } from "../ui/sql/SavedQueries";
import { SqlEditor } from "../ui/sql/SqlEditor";
import { SqlResult } from "../ui/sql/SqlResult";
import { TableList } from "../ui/sql/TableList";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "SQL · Holotaxis" }];

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
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done =
    value.what === "save"
      ? await act(context, "query.save", { name: value.name, sql: value.sql })
      : await act(context, "query.remove", { id: value.id });
  return done.ok ? { ok: true as const } : done.refusal;
}

type Run = Awaited<ReturnType<typeof runLoader>>;

function sentenceOf(answer: Run | undefined, busy: boolean): string {
  if (busy) return "The query is running; it is stopped after ten seconds.";
  if (!answer?.ok) return "Query the store in SQL: everything stored can be joined, nothing can be changed.";
  const { rows, more, tookMs } = answer.result;
  const counted = more ? " rows are shown, and there are more" : rows.length === 1 ? " row" : " rows";
  return `${rows.length.toLocaleString("en-GB")}${counted}, in ${Math.max(1, Math.round(tookMs))} ms.`;
}

export default function Sql({ loaderData: { saved, views }, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
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
  return (
    <>
      <PageHead
        name="Signals › SQL"
        sentence={sentenceOf(answer, busy)}
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
            <Placeholder sql={sql} />
          )}
          <SaveForm sql={sql} />
          {answer?.ok ? <SqlResult columns={answer.result.columns} rows={answer.result.rows} lines={lines} /> : null}
        </Stack>
        <Stack sx={{ gap: 1.5 }}>
          <SavedQueries saved={saved} onRun={run} />
          <TableList views={views} />
        </Stack>
      </Box>
    </>
  );
}

/** The statement, until the editor is there. */
function Placeholder({ sql }: { sql: string }) {
  return (
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
  );
}

function SaveForm({ sql }: { sql: string }) {
  return (
    <Form method="post">
      <input type="hidden" name="what" value="save" />
      <input type="hidden" name="sql" value={sql} />
      <Stack direction="row" sx={{ gap: 1 }}>
        <TextField name="name" label="Save as" sx={{ width: 320 }} slotProps={{ htmlInput: { maxLength: 80 } }} />
        <RightButton right="respond" type="submit" variant="outlined">
          Save
        </RightButton>
      </Stack>
    </Form>
  );
}
