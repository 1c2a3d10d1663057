import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Link as RouterLink } from "react-router";
import { DIMENSIONS, dimensionLabel, type Dimension } from "#core/spend/cube";
import { dayAndMonth, formatChange, formatMoney, monthAndYear, monthName, monthText } from "#core/units/money";
import type { Answer } from "#server/pages/registry";
import type { Route } from "./+types/spend";
import { useChangeParams, applyChanges } from "../shell/params";
import { onlyText, spendAskedOf, spendQuestion, type SpendAsked } from "../shell/spend";
import { useKeep } from "../shell/window";
import { Trend } from "../ui/charts/Trend";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Row, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SpendChart } from "../ui/spend/SpendChart";

export const meta: Route.MetaFunction = () => [{ title: "Spend · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const asked = spendAskedOf(request);
  return {
    page: await context.ask("spend", spendQuestion(asked, context.now())),
    asked,
    search: new URL(request.url).search,
  };
}

type Page = Answer<"spend">;
type Known = Exclude<Page, { period: null }>;

/** Where the days end that are counted. */
const until = ({ period }: Known) =>
  period.isOpen ? `${monthName(period.monthMs)} to ${dayAndMonth(period.toMs - 1)}` : monthAndYear(period.monthMs);

function sentenceOf(page: Known): string {
  const { spent, before, currency, forecast, budget, period } = page;
  const than = monthName(period.before.fromMs);
  const change = formatChange(spent, before);
  const compared =
    before > 0.005
      ? `, ${change.startsWith("−") ? `${change.slice(1)} less` : change === "0 %" ? "as much" : `${change.slice(1)} more`} ${change === "0 %" ? "as" : "than"} in ${period.isOpen ? `the same days of ${than}` : than}`
      : "";
  const ahead = forecast
    ? ` ${monthName(period.monthMs)} will come to about ${formatMoney(forecast.total, currency)} (${formatMoney(forecast.low, currency)} to ${formatMoney(forecast.high, currency)})`
    : "";
  const held =
    budget === null
      ? ""
      : forecast
        ? forecast.total > budget
          ? `, ${formatMoney(forecast.total - budget, currency)} over its budget`
          : `, within its budget of ${formatMoney(budget, currency)}`
        : spent > budget
          ? ` That is ${formatMoney(spent - budget, currency)} over its budget.`
          : ` That is within its budget of ${formatMoney(budget, currency)}.`;
  return `${formatMoney(spent, currency)} in ${until(page)}${compared}.${ahead}${held}${ahead ? "." : ""}`;
}

export default function Spend({ loaderData: { page, asked, search } }: Route.ComponentProps) {
  const keep = useKeep();
  const actions = (
    <>
      <Button component={RouterLink} to={keep("/estate/spend/idle")} variant="outlined">
        Paid for and idle
      </Button>
      <Button component={RouterLink} to={keep("/estate/spend/data")} variant="outlined">
        Budgets and cost data
      </Button>
      <Button component="a" href={`/estate/spend.csv${search}`} download variant="outlined">
        CSV
      </Button>
    </>
  );
  if (page.period === null)
    return (
      <>
        <PageHead name="Estate › Spend" sentence="No costs are known yet." actions={actions} />
        <Empty>
          Read a cloud whose mapping tells costs, or take in a file in the FOCUS format under Budgets and cost data.
        </Empty>
      </>
    );
  return (
    <>
      <PageHead name="Estate › Spend" sentence={sentenceOf(page)} actions={actions} />
      <Question page={page} asked={asked} />
      <Stack sx={{ gap: 1.5 }}>
        {page.apart.length ? (
          <p className="hx-caption" role="status">
            Not in the sums, for want of a rate:{" "}
            {page.apart.map((one) => formatMoney(one.sum, one.currency)).join(", ")}.{" "}
            <KeepLink to="/estate/spend/data">Give a rate</KeepLink>
          </p>
        ) : null}
        <Section title="A day">
          <SpendChart days={page.chart} currency={page.currency} />
        </Section>
        <Section title={`By ${dimensionLabel(asked.by).toLowerCase()}`} pad={false}>
          <Groups page={page} asked={asked} />
        </Section>
        <Section title="Unusual days of the last two weeks" pad={false}>
          <Odd page={page} />
        </Section>
      </Stack>
    </>
  );
}

function Question({ page, asked }: { page: Known; asked: SpendAsked }) {
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>) => changeParams((params) => applyChanges(params, changes));
  const choices: Dimension[] = [...DIMENSIONS, "component", ...page.tags.map((one) => `tag:${one}` as const)];
  const drop = (text: string) =>
    changeParams((params) => {
      const rest = params.getAll("only").filter((one) => one !== text);
      params.delete("only");
      for (const one of rest) params.append("only", one);
    });
  return (
    <Stack direction="row" sx={{ gap: 1, mb: 1.5, flexWrap: "wrap", alignItems: "center" }}>
      <TextField
        select
        size="small"
        label="Month"
        value={monthText(page.period.monthMs)}
        onChange={(event) => change({ month: event.target.value })}
        sx={{ width: 170 }}
      >
        {(page.months.includes(page.period.monthMs) ? page.months : [page.period.monthMs, ...page.months]).map((ms) => (
          <MenuItem key={ms} value={monthText(ms)}>
            {monthAndYear(ms)}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        size="small"
        label="By"
        value={asked.by}
        onChange={(event) => change({ by: event.target.value })}
        sx={{ width: 190 }}
      >
        {(choices.includes(asked.by) ? choices : [...choices, asked.by]).map((one) => (
          <MenuItem key={one} value={one}>
            {dimensionLabel(one)}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        size="small"
        label="Cost"
        value={asked.cost}
        onChange={(event) => change({ cost: event.target.value === "effective" ? "" : event.target.value })}
        sx={{ width: 200 }}
      >
        <MenuItem value="effective">Effective (amortised)</MenuItem>
        <MenuItem value="billed">Billed</MenuItem>
      </TextField>
      {page.resource.map((one) => (
        <Button
          key={onlyText(one)}
          size="small"
          variant="outlined"
          title="Take this filter away"
          onClick={() => drop(onlyText(one))}
        >
          {one.name}: {one.label} ×
        </Button>
      ))}
    </Stack>
  );
}

/** What is looked at next, one level further down. */
const NEXT: Partial<Record<Dimension, Dimension>> = {
  provider: "account",
  account: "service",
  subaccount: "service",
  category: "service",
  service: "resource",
  region: "service",
  charge: "service",
};

function Groups({ page, asked }: { page: Known; asked: SpendAsked }) {
  const changeParams = useChangeParams();
  const hasBudget = page.budget !== null || page.groups.some((one) => one.budget !== null);
  const into = (value: string) =>
    changeParams((params) => {
      params.append("only", onlyText({ dimension: asked.by, value }));
      params.set("by", NEXT[asked.by] ?? "resource");
    });
  return (
    <PlainTable aria-label={`Spend by ${dimensionLabel(asked.by).toLowerCase()}`}>
      <GroupsHead page={page} by={asked.by} hasBudget={hasBudget} />
      <tbody>
        {page.groups.map((one) => (
          <tr key={one.value}>
            <td>
              <Row>
                <button type="button" className="hx-word" onClick={() => into(one.value)}>
                  {one.label}
                </button>
                {one.componentId === null ? null : <KeepLink to={`/estate/${one.componentId}`}>open</KeepLink>}
              </Row>
            </td>
            <td>
              <Trend values={one.trend} height={20} />
            </td>
            <Sums
              page={page}
              sums={one}
              share={page.spent > 0 ? `${((100 * one.spent) / page.spent).toFixed(1)} %` : "–"}
              hasBudget={hasBudget}
            />
          </tr>
        ))}
        <tr>
          <td>
            <strong>All{page.more ? `, ${page.more.toLocaleString("en-GB")} more among them` : ""}</strong>
          </td>
          <td>–</td>
          <Sums page={page} sums={page} share="100 %" hasBudget={hasBudget} />
        </tr>
      </tbody>
    </PlainTable>
  );
}

function GroupsHead({ page, by, hasBudget }: { page: Known; by: SpendAsked["by"]; hasBudget: boolean }) {
  const { period } = page;
  return (
    <thead>
      <tr>
        <th scope="col">{dimensionLabel(by)}</th>
        <th scope="col">Eight weeks</th>
        <th scope="col" className="num">
          {until(page)}
        </th>
        <th scope="col" className="num">
          Share
        </th>
        <th scope="col" className="num">
          {monthName(period.before.fromMs)}
          {period.isOpen ? ", same days" : ""}
        </th>
        <th scope="col" className="num">
          Change
        </th>
        {period.isOpen ? (
          <th scope="col" className="num" title="Range that holds the truth in eight of ten cases">
            {monthName(period.monthMs)}, forecast
          </th>
        ) : null}
        {hasBudget ? (
          <th scope="col" className="num">
            Budget
          </th>
        ) : null}
      </tr>
    </thead>
  );
}

/** What a group cost, or all of them together: a row's cells. */
function Sums({
  page,
  sums,
  share,
  hasBudget,
}: {
  page: Known;
  sums: Pick<Known["groups"][number], "spent" | "before" | "forecast" | "budget">;
  share: string;
  hasBudget: boolean;
}) {
  const money = (value: number | null | undefined) =>
    value === null || value === undefined ? "–" : formatMoney(value, page.currency);
  const spent = money(sums.spent);
  return (
    <>
      <td className="num line">{sums === page ? <strong>{spent}</strong> : spent}</td>
      <td className="num">{share}</td>
      <td className="num line">{money(sums.before)}</td>
      <td className="num line">{formatChange(sums.spent, sums.before)}</td>
      {page.period.isOpen ? (
        <td className="num line">
          {sums.forecast
            ? `${money(sums.forecast.total)} ± ${money(sums.forecast.high - sums.forecast.total)}`
            : "too few days"}
        </td>
      ) : null}
      {hasBudget ? <td className="num line">{money(sums.budget)}</td> : null}
    </>
  );
}

function Odd({ page }: { page: Known }) {
  if (page.odd.length === 0)
    return (
      <div style={{ padding: 12 }}>
        <Empty>None: every day cost what such a day has cost in the eight weeks before it.</Empty>
      </div>
    );
  return (
    <PlainTable aria-label="Unusual days">
      <thead>
        <tr>
          <th scope="col">Day</th>
          <th scope="col">Account</th>
          <th scope="col">Service</th>
          <th scope="col" className="num">
            Spend
          </th>
          <th scope="col" className="num">
            Usual for such days
          </th>
          <th scope="col" className="num" title="Modified z-score; 3.5 is where it begins to be unusual">
            Score
          </th>
          <th scope="col">Changed most</th>
        </tr>
      </thead>
      <tbody>
        {page.odd.map((one) => (
          <tr key={`${one.dayMs} ${one.account} ${one.service}`}>
            <td className="line">
              {dayAndMonth(one.dayMs)}
              {one.days > 1 ? ` to ${dayAndMonth(one.dayMs + (one.days - 1) * 86_400_000)}` : ""}
            </td>
            <td>{one.account}</td>
            <td>{one.service}</td>
            <td className="num line">{formatMoney(one.value, page.currency)}</td>
            <td className="num line">{formatMoney(one.usual, page.currency)}</td>
            <td className="num">
              {Number.isFinite(one.score) && Math.abs(one.score) < 100 ? one.score.toFixed(1) : "over 100"}
            </td>
            <td>{one.top || "–"}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
