import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useSearchParams } from "react-router";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/unusual";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { Clusters } from "../ui/unusual/Clusters";
import { ExpectedList } from "../ui/unusual/ExpectedList";
import { OddityTable } from "../ui/unusual/OddityTable";

export const meta: Route.MetaFunction = () => [{ title: "Unusual · Holotaxis" }];

const asked = z.object({
  q: z.string().max(100).catch("").default(""),
  service: z.string().max(60).catch("").default(""),
  site: z.string().max(60).catch("").default(""),
  sort: z.enum(["score", "onset"]).catch("score").default("score"),
});

export async function loader({ request, context }: Route.LoaderArgs) {
  const given = asked.parse(Object.fromEntries(new URL(request.url).searchParams));
  const { fromMs, toMs } = windowOf(request, context.now());
  const { q, service, site, sort } = given;
  return { ...(await context.ask("unusual", { fromMs, toMs, service, site, text: q, sort })), given };
}

const expectation = z.object({
  subject: z.enum(["component", "service"]),
  id: z.coerce.number().int(),
  metric: z.string(),
  qualifier: z.string().default(""),
  reason: z.string(),
  hours: z.string(),
});

export async function action({ request, context }: Route.ActionArgs) {
  const fields = await formOf(request);
  if (fields.get("intent") === "unexpect") {
    const done = await act(context, "oddity.unexpect", { id: Number(fields.get("id")) });
    return done.ok ? { ok: true as const } : done.refusal;
  }
  const form = readForm(fields, expectation);
  if (!form.ok) return form.refusal;
  const done = await act(context, "oddity.expect", { ...form.value, hours: Number(form.value.hours) });
  return done.ok ? { ok: true as const } : done.refusal;
}

type Data = Route.ComponentProps["loaderData"];

function sentenceOf({ count, first }: Data, spanMs: number, nowMs: number): string {
  if (count === 0) return `Nothing was out of its usual range in ${spokenDuration(spanMs)}.`;
  const what = `${count} ${count === 1 ? "oddity" : "oddities"} in ${spokenDuration(spanMs)}`;
  return first ? `${what}. The first began ${dayAndTime(first.atMs, nowMs)}: ${first.name}.` : `${what}.`;
}

export default function Unusual({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const { window: now } = useShell();
  const [params] = useSearchParams();
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((next) => applyChanges(next, changes), replace);
  const [typed, setTyped] = useTyped(page.given.q, (q) => change({ q }, true), 250);
  return (
    <>
      <PageHead name="Signals › Unusual" sentence={sentenceOf(page, now.toMs - now.fromMs, now.nowMs)} />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center", flexWrap: "wrap" }}>
        <TextField
          label="Component or words"
          type="search"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          sx={{ width: 260 }}
          slotProps={{ htmlInput: { maxLength: 100 } }}
        />
        <TextField
          select
          label="Order"
          value={page.given.sort}
          onChange={(event) => change({ sort: event.target.value === "score" ? "" : event.target.value })}
          sx={{ width: 200 }}
        >
          <MenuItem value="score">Farthest out first</MenuItem>
          <MenuItem value="onset">As they began</MenuItem>
        </TextField>
      </Stack>
      <Stack sx={{ gap: 1.5 }}>
        {page.count > 0 ? (
          <Clusters
            clusters={page.clusters}
            chosen={{ service: params.get("service") ?? "", site: params.get("site") ?? "" }}
            onChoose={change}
          />
        ) : null}
        <Section
          title={
            page.count > page.oddities.length
              ? `The first ${page.oddities.length} of ${page.count}`
              : `Oddities: ${page.count}`
          }
          pad={false}
        >
          {page.oddities.length === 0 ? (
            <div className="hx-pad">
              <Empty>
                {page.total === 0
                  ? "Everything that is judged was as usual. Widen the window on the ribbon to look further back."
                  : "None fits. Take a filter off."}
              </Empty>
            </div>
          ) : (
            <OddityTable oddities={page.oddities} nowMs={now.nowMs} />
          )}
        </Section>
        {page.expected.length ? <ExpectedList expected={page.expected} nowMs={now.nowMs} /> : null}
      </Stack>
    </>
  );
}
