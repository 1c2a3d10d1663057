import Stack from "@mui/material/Stack";
import { spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/service-objective";
import { missing } from "../shell/answers.server";
import { windowOf } from "../shell/window.server";
import { HouseChart } from "../ui/charts/HouseChart";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Objective of ${loaderData?.service.name ?? "a service"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const page = await context.ask("objective", { uid: params.uid.slice(0, 60), atMs });
  if (!page) throw missing("service", params.uid);
  return { ...page, atMs };
}

type Data = Route.ComponentProps["loaderData"];
type Known = NonNullable<Data["known"]>;

const whole = (count: number) => count.toLocaleString("en-GB");
const exact = (share: number) => `${(share * 100).toFixed(3).replace(/\.?0+$/, "")} %`;
const rateText = (rate: number) => (Number.isFinite(rate) ? rate.toFixed(rate < 10 ? 2 : 0) : "all at once");

/** What is counted: calls, or quarters of an hour in which the business figure was measured. */
const unitOf = ({ figure }: Data) => (figure ? "quarters of an hour" : "calls");

function promiseOf({ objectivePercent, limitMs, figure }: Data): string {
  return figure
    ? `${figure.label} at ${figure.percent} % of its usual or ${figure.isMost ? "less" : "more"} in ${objectivePercent} % of all quarters of an hour`
    : `${objectivePercent} % of calls answered${limitMs ? ` within ${limitMs} ms` : ""} without failing`;
}

function sentenceOf(page: Data): string {
  const { service, objectivePercent, figure, known } = page;
  if (objectivePercent === null || !known)
    return `${service.name} has no objective. Set one under Edit: the share of calls that must be answered well.`;
  const promise = promiseOf(page);
  if (!known.calls)
    return `${service.name} promises ${promise}; ${figure ? "nothing is known of what is usual yet" : "no call of its entry points was measured in 30 days"}.`;
  const burning = known.windows.find((one) => one.burns);
  return `${service.name} promises ${promise}: ${exact(known.share ?? 0)} were in 30 days, ${known.left > 0 ? `${formatValue(known.left * 100, "%")} of the budget is left` : "the budget is spent"}${burning ? `, and it burns ${rateText(burning.long)} times as fast as it may` : ""}.`;
}

export default function ServiceObjective({ loaderData: page }: Route.ComponentProps) {
  const { service, known, objectivePercent } = page;
  return (
    <>
      <PageHead name={`Service › ${service.name} › Objective`} sentence={sentenceOf(page)} />
      <p>
        <KeepLink to={`/services/${service.uid}`}>The service</KeepLink> ·{" "}
        <KeepLink to={`/services/${service.uid}/edit`}>Edit</KeepLink>
      </p>
      {known?.calls && objectivePercent !== null ? (
        <Stack sx={{ gap: 1.5 }}>
          <Section title="What is left of the budget of 30 days">
            <BudgetChart known={known} atMs={page.atMs} name={service.name} />
            <p style={{ marginBottom: 0 }}>
              {whole(known.bad)} of {whole(known.calls)} {unitOf(page)} did not keep to it;{" "}
              {whole(Math.floor(known.calls * (1 - objectivePercent / 100)))} may.{" "}
              {known.left > 0 && known.timeLeftMs !== null
                ? `At the rate of the last hour it is spent in ${spokenDuration(known.timeLeftMs)}.`
                : known.left > 0
                  ? "Nothing of it was spent in the last hour."
                  : ""}
              {known.plannedMs > 0 ? ` ${spokenDuration(known.plannedMs)} of planned work are left out.` : ""}
            </p>
          </Section>
          <Section title="How fast it burns" pad={false}>
            <Windows windows={known.windows} />
          </Section>
        </Stack>
      ) : (
        <Empty>Nothing is measured against it yet.</Empty>
      )}
    </>
  );
}

function BudgetChart({ known, atMs, name }: { known: Known; atMs: number; name: string }) {
  const values = known.days.map((day) => day.left * 100);
  return (
    <HouseChart
      height={200}
      bounds={[Math.min(0, ...values), 100]}
      chart={{
        seriesId: 0,
        title: "Budget left",
        owner: name,
        metric: "",
        instance: "",
        unit: "%",
        fromMs: known.days[0]?.atMs ?? atMs,
        toMs: atMs,
        points: known.days.map((day) => [day.atMs, day.left * 100, day.left * 100, day.left * 100]),
        limits: [],
        marks: [],
        over: [],
        exemplars: [],
        band: [],
        legend: {
          min: Math.min(...values),
          max: Math.max(...values),
          mean: null,
          last: values.at(-1) ?? null,
          count: values.length,
        },
      }}
    />
  );
}

function Windows({ windows }: { windows: Known["windows"] }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Over</th>
          <th scope="col" className="num">
            Times the even rate
          </th>
          <th scope="col">And over</th>
          <th scope="col" className="num">
            Times the even rate
          </th>
          <th scope="col" className="num">
            Too fast above
          </th>
          <th scope="col">Verdict</th>
        </tr>
      </thead>
      <tbody>
        {windows.map((one) => (
          <tr key={one.longMs}>
            <td>{spokenDuration(one.longMs)}</td>
            <td className="num">{rateText(one.long)}</td>
            <td>{spokenDuration(one.shortMs)}</td>
            <td className="num">{rateText(one.short)}</td>
            <td className="num">{one.rate}</td>
            <td>{one.burns ? <b>burns too fast</b> : "within the budget"}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
