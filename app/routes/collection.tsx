import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { metricInfo } from "#core/catalogue/metrics";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { formatChange, formatMoney } from "#core/units/money";
import type { Route } from "./+types/collection";
import { idFrom, missing } from "../shell/answers.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { Trend } from "../ui/charts/Trend";
import { KeepLink } from "../ui/KeepLink";
import { KindGlyph } from "../ui/KindGlyph";
import { Empty, PageHead, Row, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.collection.name ?? "Collection"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const page = await context.ask("collection", {
    id: idFrom(params.id, "collection"),
    metric: new URL(request.url).searchParams.get("metric") ?? "",
    ...windowOf(request, context.now()),
  });
  if (!page) throw missing("collection", params.id);
  return page;
}

type Page = Route.ComponentProps["loaderData"];

const many = (count: number, one: string) => `${count.toLocaleString("en-GB")} ${count === 1 ? one : `${one}s`}`;

function sentenceOf({ collection, count, worst, severities, spend }: Page): string {
  if (count === 0) return `Nothing belongs to ${collection.name} at this instant.`;
  const ill = severities.reduce((sum, one) => sum + (one.severity === "cleared" ? 0 : one.count), 0);
  const [first] = worst;
  const state = first
    ? `${ill} of ${many(count, "component")} ${ill === 1 ? "is" : "are"} not well, the worst is ${first.name}`
    : `all ${many(count, "component")} are well`;
  const cost = spend ? ` They cost ${formatMoney(spend.spent, spend.currency)} in ${spend.month} so far.` : "";
  return `${collection.name}: ${state}.${cost}`;
}

export default function Collection({ loaderData: page }: Route.ComponentProps) {
  const keep = useKeep();
  return (
    <>
      <PageHead
        name="Estate › Collection"
        sentence={sentenceOf(page)}
        {...(page.worst[0] ? { severity: page.worst[0].severity } : {})}
        actions={
          <Button component={RouterLink} to={keep(`/estate?${page.collection.filter}`)} variant="outlined">
            List of its members
          </Button>
        }
      />
      {page.count === 0 ? <Empty>What fits its filter later belongs to it by itself.</Empty> : <Parts page={page} />}
    </>
  );
}

function Parts({ page }: { page: Page }) {
  return (
    <Stack sx={{ gap: 1.5 }}>
      <div className="hx-two">
        <Section title="Members" pad={false}>
          <Members page={page} />
        </Section>
        <Section title="Not well, worst first" pad={false}>
          <Worst page={page} />
        </Section>
      </div>
      {page.measured < page.count ? (
        <p className="hx-caption" role="status">
          Figures are of the first {page.measured.toLocaleString("en-GB")} of them.
        </p>
      ) : null}
      {page.figures.length ? (
        <Section title="Together" pad={false}>
          <Figures page={page} />
        </Section>
      ) : null}
      {page.top.length && page.metric ? (
        <Section title={`Top ${page.top.length} by ${lower(metricInfo(page.metric).label)}`} pad={false}>
          <Top page={page} />
        </Section>
      ) : null}
    </Stack>
  );
}

const lower = (label: string) => (/^[A-Z][a-z]/.test(label) ? label.charAt(0).toLowerCase() + label.slice(1) : label);

function Members({ page }: { page: Page }) {
  const row = (name: string, list: readonly { name: string; count: number }[]) => (
    <tr>
      <th scope="row">{name}</th>
      <td>{list.map((one) => `${one.name} ${one.count.toLocaleString("en-GB")}`).join(", ")}</td>
    </tr>
  );
  return (
    <PlainTable aria-label="Members">
      <tbody>
        {row("Kinds", page.kinds)}
        {row("Sites", page.sites)}
        <tr>
          <th scope="row">Health</th>
          <td>
            <Row>
              {page.severities.map((one) => (
                <span key={one.severity} className="hx-row" style={{ gap: 4 }}>
                  <SeverityMark severity={one.severity} size={15} />
                  {one.count} {one.severity === "cleared" ? "well" : one.severity}
                </span>
              ))}
            </Row>
          </td>
        </tr>
        {page.spend ? (
          <tr>
            <th scope="row">Spend</th>
            <td>
              {formatMoney(page.spend.spent, page.spend.currency)} for {page.spend.paid} of them this month,{" "}
              {formatChange(page.spend.spent, page.spend.before)} against the same days of the month before
            </td>
          </tr>
        ) : null}
      </tbody>
    </PlainTable>
  );
}

function Worst({ page }: { page: Page }) {
  const { window: now } = useShell();
  if (page.worst.length === 0)
    return (
      <div style={{ padding: 12 }}>
        <Empty>None: all of them are well.</Empty>
      </div>
    );
  return (
    <PlainTable aria-label="Not well">
      <tbody>
        {page.worst.map((one) => (
          <tr key={one.id}>
            <td className="line">
              <Row>
                <SeverityMark severity={one.severity} size={15} />
                <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
              </Row>
            </td>
            <td>{one.reason}</td>
            <td className="line">{dayAndTime(one.since, now.nowMs)}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

const HOW = { sum: "sum", mean: "mean", max: "highest" } as const;

function Figures({ page }: { page: Page }) {
  const changeParams = useChangeParams();
  return (
    <PlainTable aria-label="Together">
      <thead>
        <tr>
          <th scope="col">Metric</th>
          <th scope="col" className="num">
            Measured on
          </th>
          <th scope="col" className="num">
            Together
          </th>
          <th scope="col" className="num">
            Lowest
          </th>
          <th scope="col" className="num">
            Highest
          </th>
          <th scope="col">Worst</th>
        </tr>
      </thead>
      <tbody>
        {page.figures.map((one) => (
          <tr key={one.metric}>
            <td>
              <button
                type="button"
                className="hx-word"
                aria-pressed={one.metric === page.metric}
                onClick={() => changeParams((params) => applyChanges(params, { metric: one.metric }))}
              >
                {one.label}
              </button>
            </td>
            <td className="num">
              {one.count} of {page.count}
            </td>
            <td className="num line">
              {formatValue(one.value, one.unit)} ({HOW[one.how]})
            </td>
            <td className="num line">{formatValue(one.lowest.value, one.unit)}</td>
            <td className="num line">{formatValue(one.highest.value, one.unit)}</td>
            <td>
              <KeepLink to={`/estate/${one.worst.id}`}>{one.worst.name}</KeepLink>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Top({ page }: { page: Page }) {
  const unit = page.figures.find((one) => one.metric === page.metric)?.unit ?? "";
  return (
    <PlainTable aria-label="Top">
      <thead>
        <tr>
          <th scope="col">Component</th>
          <th scope="col" className="num">
            Now
          </th>
          <th scope="col">Window</th>
        </tr>
      </thead>
      <tbody>
        {page.top.map((one) => (
          <tr key={one.id}>
            <td>
              <Row>
                <SeverityMark severity={one.severity} size={15} />
                <KindGlyph kind={one.kind} />
                <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
              </Row>
            </td>
            <td className="num line">{formatValue(one.value, unit)}</td>
            <td>
              <Trend values={one.trend} height={20} />
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
