import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import { metricName } from "#core/catalogue/metrics";
import { isByHand } from "#core/topology/by-hand";
import { verbOf } from "#core/topology/words";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/relation";
import { Form, useNavigation } from "react-router";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { ChangeList } from "../ui/ChangeList";
import { HouseChart } from "../ui/charts/HouseChart";
import { KeepLink } from "../ui/KeepLink";
import { Empty, Fact, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData ? `${loaderData.from.name} to ${loaderData.to.name}` : "Relation"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { fromMs, toMs, atMs } = windowOf(request, context.now());
  const page = await context.ask("relation", { id: idFrom(params.id, "relation"), atMs, fromMs, toMs });
  if (!page) throw missing("relation", params.id);
  return { ...page, fromMs, toMs };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const id = idFrom(params.id, "relation");
  const what = (await formOf(request)).get("what");
  const done =
    what === "remove"
      ? await act(context, "relation.remove", { id })
      : await act(context, "relation.hide", { id, on: what === "hide" });
  return done.ok ? null : done.refusal;
}

type Data = Route.ComponentProps["loaderData"];

const whole = (count: number) => Math.round(count).toLocaleString("en-GB");
const share = ({ calls, failed }: { calls: number; failed: number }) => (calls ? (failed / calls) * 100 : 0);

/** What goes over a wire now. */
function wireText(wire: Data["wire"]): string {
  const lastOf = (metric: string) => wire.find((one) => one.chart.metric === metric)?.last;
  const [into, out] = [lastOf("net.in"), lastOf("net.out")];
  return typeof into === "number" && typeof out === "number"
    ? `: ${formatValue(into, "bit/s")} in and ${formatValue(out, "bit/s")} out at the far end`
    : "";
}

function sentenceOf({ relation, from, to, figures, errors, wire }: Data, ended: boolean): string {
  const what = `${from.name} ${verbOf(relation.type)} ${to.name}`;
  if (ended) return `${what} no more.`;
  if (relation.type !== "talks-to") return `${what}${wireText(wire)}.`;
  if (!figures) return errors.length ? `${what}: every call fails.` : `${what}. No spans tell how its calls do.`;
  return `${what}: ${whole(figures.calls)} calls in this window, ${figures.failed ? `${formatValue(share(figures), "%")} of them failed` : "none failed"}, p95 ${formatValue(figures.p95Ms, "ms")}.`;
}

export default function Relation({ loaderData: page, actionData }: Route.ComponentProps) {
  const refusal = useAnswer(actionData ?? undefined);
  const { window: now } = useShell();
  const { relation, to, figures, usual } = page;
  const ended = relation.valid_to !== null && relation.valid_to <= now.atMs;
  return (
    <>
      <PageHead
        name="Map › Relation"
        sentence={sentenceOf(page, ended)}
        actions={ended ? null : <HandActions relation={relation} />}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))", alignItems: "start" }}>
          <Ends page={page} />
          <HowKnown relation={relation} nowMs={now.nowMs} />
        </Box>
        {figures ? (
          <Section
            title={`Calls${page.side === "caller" ? " as the caller measures them" : ""}${usual ? `, beside ${usual.when}` : ""}`}
          >
            <Calls figures={figures} usual={usual} />
            <Box sx={{ display: "grid", gap: 1, mt: 1, gridTemplateColumns: "repeat(3, minmax(0, 1fr))" }}>
              <Drawn page={page} title="Calls a minute" unit="1" of={({ calls }, minutes) => calls / minutes} />
              <Drawn page={page} title="Failed calls" unit="%" of={(bucket) => share(bucket)} />
              <Drawn page={page} title="Response p95" unit="ms" of={({ p95Us }) => p95Us / 1000} />
            </Box>
          </Section>
        ) : null}
        {page.wire.length ? (
          <Section title={`Traffic and errors, as ${to.name} counts them at ${relation.detail}`}>
            <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(auto-fit, minmax(280px, 1fr))" }}>
              {page.wire.map(({ chart, usual: common, last }) => (
                <figure key={chart.metric} style={{ margin: 0, minWidth: 0 }}>
                  <figcaption>
                    {metricName(chart.metric)}: {last === null ? "nothing measured" : formatValue(last, chart.unit)}
                    {common ? `, usually ${formatValue(common.value, chart.unit)} (${common.words})` : ""}
                  </figcaption>
                  <HouseChart chart={chart} />
                </figure>
              ))}
            </Box>
          </Section>
        ) : null}
        {relation.type === "talks-to" ? (
          <Section title="Failed calls by what they say">
            <Errors page={page} nowMs={now.nowMs} />
          </Section>
        ) : null}
        <Section title="Changes on either side">
          <ChangeList changes={page.changes} nowMs={now.nowMs} empty="None in this window." />
        </Section>
      </Stack>
    </>
  );
}

function Ends({ page: { relation, from, to } }: { page: Data }) {
  return (
    <Section title="Both ends">
      <dl style={{ margin: 0 }}>
        {[from, to].map((end, place) => (
          <Fact key={end.id} name={place === 0 ? "From" : "To"}>
            <span style={{ display: "inline-flex", gap: 6, alignItems: "center" }}>
              <SeverityMark severity={end.severity} size={14} />
              <KeepLink to={`/estate/${end.id}`}>{end.name}</KeepLink>
            </span>{" "}
            {end.reason}
          </Fact>
        ))}
        <Fact name="On the map">
          <KeepLink to={`/map?a=${from.id}&b=${to.id}`}>The way between them</KeepLink> ·{" "}
          <KeepLink to={`/map/what-if?fail=r${relation.id}`}>What if it failed</KeepLink>
        </Fact>
      </dl>
    </Section>
  );
}

function HowKnown({ relation, nowMs }: { relation: Data["relation"]; nowMs: number }) {
  return (
    <Section title="How it is known">
      <dl style={{ margin: 0 }}>
        <Fact name={isByHand(relation.seen_by) ? "Made" : "Seen by"}>
          {relation.seen_by === "both" ? "both ends" : relation.seen_by || "sweeps"}
        </Fact>
        {relation.hidden_at === null ? null : (
          <Fact name="Hidden">
            by {relation.hidden_by}, {dayAndTime(relation.hidden_at, nowMs)}: not drawn and not followed
          </Fact>
        )}
        {relation.detail ? <Fact name="Over">{relation.detail}</Fact> : null}
        <Fact name="First seen">{dayAndTime(relation.valid_from, nowMs)}</Fact>
        <Fact name="Last seen">{dayAndTime(relation.last_seen_at, nowMs)}</Fact>
        {relation.valid_to === null ? null : <Fact name="Ended">{dayAndTime(relation.valid_to, nowMs)}</Fact>}
        <Fact name="Sightings">
          {whole(relation.seen_times)}
          {relation.intermittent ? ", comes and goes" : relation.seen_times > 1 ? ", steady" : ""}
        </Fact>
        {relation.connections ? <Fact name="Connections">{whole(relation.connections)}</Fact> : null}
      </dl>
    </Section>
  );
}

function Calls({ figures, usual }: { figures: NonNullable<Data["figures"]>; usual: Data["usual"] }) {
  const rows = [
    ["Calls a minute", (of: typeof figures) => formatValue(of.perMinute, "1")],
    ["Failed", (of: typeof figures) => formatValue(share(of), "%")],
    ["Response p50", (of: typeof figures) => formatValue(of.p50Ms, "ms")],
    ["Response p95", (of: typeof figures) => formatValue(of.p95Ms, "ms")],
  ] as const;
  return (
    <PlainTable style={{ maxWidth: 520 }}>
      <thead>
        <tr>
          <th scope="col">Figure</th>
          <th scope="col" className="num">
            In this window
          </th>
          {usual ? (
            <th scope="col" className="num">
              {usual.when}
            </th>
          ) : null}
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, text]) => (
          <tr key={name}>
            <td>{name}</td>
            <td className="num">{text(figures)}</td>
            {usual ? <td className="num">{text(usual)}</td> : null}
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Drawn({
  page,
  title,
  unit,
  of,
}: {
  page: Data;
  title: string;
  unit: string;
  of: (bucket: Data["buckets"][number], minutes: number) => number;
}) {
  const { buckets, fromMs, toMs } = page;
  const minutes = Math.max(1, ((buckets[1]?.atMs ?? 0) - (buckets[0]?.atMs ?? 0)) / 60_000);
  const values = buckets.map((bucket) => of(bucket, minutes));
  const mean = values.length ? values.reduce((sum, value) => sum + value, 0) / values.length : null;
  return (
    <figure style={{ margin: 0, minWidth: 0 }}>
      <figcaption>{title}</figcaption>
      <HouseChart
        chart={{
          seriesId: 0,
          title,
          owner: "",
          metric: "",
          instance: "",
          unit,
          fromMs,
          toMs,
          points: buckets.map((bucket, place) => {
            const value = values[place] as number;
            return [bucket.atMs, value, value, value];
          }),
          limits: [],
          marks: [],
          over: [],
          exemplars: [],
          band: [],
          legend: {
            min: values.length ? Math.min(...values) : null,
            max: values.length ? Math.max(...values) : null,
            mean,
            last: values.at(-1) ?? null,
            count: values.length,
          },
        }}
      />
    </figure>
  );
}

function Errors({ page: { errors }, nowMs }: { page: Data; nowMs: number }) {
  if (!errors.length) return <Empty>No call of the one to the other is known to have failed in this window.</Empty>;
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">What it says</th>
          <th scope="col" className="num">
            Calls
          </th>
          <th scope="col">Last</th>
          <th scope="col">Traces</th>
        </tr>
      </thead>
      <tbody>
        {errors.map(({ text, count, lastMs, traces }) => (
          <tr key={text}>
            <td>{text}</td>
            <td className="num">{whole(count)}</td>
            <td>{dayAndTime(lastMs, nowMs, true)}</td>
            <td>
              {traces.map((trace) => (
                <span key={trace}>
                  <KeepLink to={`/signals/traces/${trace}`}>{trace.slice(0, 8)}</KeepLink>{" "}
                </span>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

/** A relation that means nothing is hidden, one that was made by hand removed. */
function HandActions({ relation: { seen_by: seenBy, hidden_at: hiddenAt } }: Pick<Data, "relation">) {
  const busy = useNavigation().state !== "idle";
  const [what, word] =
    hiddenAt !== null ? ["show", "Show again"] : isByHand(seenBy) ? ["remove", "Remove"] : ["hide", "Hide"];
  return (
    <Form method="post">
      <input type="hidden" name="what" value={what} />
      <RightButton right="configure" type="submit" variant="outlined" disabled={busy}>
        {word}
      </RightButton>
    </Form>
  );
}
