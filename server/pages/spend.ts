import { dimensionLabel, DIMENSIONS, NONE, type Cost, type Dimension, type Filter } from "#core/spend/cube";
import { monthAfter, monthOf } from "#core/spend/focus";
import { forecast, LEARN_DAYS, oddDays, oddRuns, type Forecast } from "#core/spend/forecast";
import { DAY_MS } from "#core/time/windows";
import { cubeOf, memoOf } from "../spend/cube-of";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { listBudgets, listImports, paidIn, ratesOf, reportCurrency } from "../store/spend";

export interface SpendQuestion {
  atMs: number;
  /** First instant of a month; the one that is going on when left out. */
  monthMs: number | undefined;
  by: Dimension;
  filters: Filter[];
  cost: Cost;
}

/** Groups that are drawn by themselves; the others together. */
const DRAWN = 6;
const DRAWN_DAYS = 62;
const ODD_DAYS = 14;
const MOST_ODD = 20;
const MOST_GROUPS = 200;
/** Further down nobody asks what a row will come to. */
const MOST_FORECASTS = 25;
/** An oddity under this share of a day's whole spend is no news. */
const ODD_SHARE = 0.005;

const sumOf = (values: Iterable<number>) => {
  let sum = 0;
  for (const one of values) sum += one;
  return sum;
};
const cents = (value: number) => Math.round(value * 100) / 100;
const dayOf = (ms: number) => Math.floor(ms / DAY_MS) * DAY_MS;

/** The last whole day that anything is known of, and the month that is looked at. */
function periodOf(db: Db, atMs: number, wantedMs: number | undefined) {
  const { span } = cubeOf(db);
  if (!span) return undefined;
  const lastWhole = Math.min(dayOf(atMs), span.toMs) - DAY_MS;
  const monthMs = monthOf(wantedMs ?? Math.max(lastWhole, span.fromMs));
  const endMs = monthAfter(monthMs);
  const isOpen = lastWhole < endMs - DAY_MS;
  const toMs = isOpen ? Math.max(monthMs, lastWhole + DAY_MS) : endMs;
  const before = monthAfter(monthMs, -1);
  return {
    monthMs,
    endMs,
    /** End of what is known of it. */
    toMs,
    isOpen,
    /** The same days of the month before; a shorter one ends sooner. */
    before: { fromMs: before, toMs: Math.min(monthMs, isOpen ? before + (toMs - monthMs) : monthMs) },
    firstMs: span.fromMs,
    /** The day after the last one that anything is known of. */
    knownMs: lastWhole + DAY_MS,
  };
}

/** Spend of a month by one dimension: to date, before, what it will come to, what is odd. */
export function spendPage(db: Db, { atMs, monthMs, by, filters, cost }: SpendQuestion) {
  const currency = reportCurrency(db);
  const period = periodOf(db, atMs, monthMs);
  const cube = cubeOf(db);
  const tags = memoOf(db, "tags", (one) => one.tagNames());
  if (!period) return { currency, period: null, tags } as const;
  const now = { fromMs: period.monthMs, toMs: period.toMs };
  const all = cube.groups(by, [now, period.before], filters, cost);
  const groups = all.slice(0, MOST_GROUPS);
  const learn = { fromMs: period.toMs - LEARN_DAYS * DAY_MS, toMs: period.toMs };
  const days = cube.daily(
    by,
    groups.map((one) => one.value),
    learn,
    filters,
    cost,
  );
  const ends = { lastMs: period.toMs - DAY_MS, endMs: period.endMs };
  const ahead = (own: Float64Array, spent: number): Forecast | null =>
    period.isOpen ? (forecast(knownOf(own, learn.fromMs, period.firstMs), spent, ends) ?? null) : null;
  const total = cube.total(learn, filters, cost);
  const spent = sumOf(all.map((one) => one.sums[0] as number));
  const budgets = listBudgets(db);
  const budgetOf = (dimension: Dimension | null, value: string | null) =>
    budgets.find((one) => one.dimension === dimension && one.value === value)?.amount ?? null;
  return {
    currency,
    tags,
    period,
    months: monthsOf(period.firstMs, period.knownMs - 1),
    spent,
    before: sumOf(all.map((one) => one.sums[1] as number)),
    forecast: ahead(total, spent),
    budget: filters.length === 0 ? budgetOf(null, null) : null,
    groups: groups.map((one, index) => ({
      value: one.value,
      label: labelOf(db, by, one.value),
      componentId: by === "component" && one.value !== NONE ? Number(one.value) : null,
      spent: one.sums[0] as number,
      before: one.sums[1] as number,
      forecast: index < MOST_FORECASTS ? ahead(days[index] as Float64Array, one.sums[0] as number) : null,
      budget: budgetOf(by, one.value),
      trend: Array.from(days[index] as Float64Array, cents),
    })),
    more: all.length - groups.length,
    chart: chartOf(
      db,
      period,
      { by, filters, cost },
      groups.slice(0, DRAWN).map((one) => one.value),
    ),
    odd: oddOf(db, period, filters, cost),
    apart: cube.apart(now, cost),
    resource: resourceOf(db, filters),
  } as const;
}

/** Days before anything was known are no days without cost. */
function knownOf(days: Float64Array, fromMs: number, firstMs: number): number[] {
  const skip = Math.max(0, Math.round((firstMs - fromMs) / DAY_MS));
  const known = [...days.subarray(Math.min(skip, days.length))];
  // What began later than the rest is learned from where it began.
  const first = known.findIndex((one) => one !== 0);
  return first < 0 ? [] : known.slice(first);
}

function monthsOf(fromMs: number, toMs: number): number[] {
  const months: number[] = [];
  for (let at = monthOf(toMs); at >= monthOf(fromMs) && months.length < 36; at = monthAfter(at, -1)) months.push(at);
  return months;
}

export function labelOf(db: Db, dimension: Dimension, value: string): string {
  if (value === NONE) return dimension === "component" ? "not in the estate" : "without";
  if (dimension !== "component") return value;
  return componentById(db, Number(value))?.name ?? `component ${value}`;
}

type Period = NonNullable<ReturnType<typeof periodOf>>;

function chartOf(
  db: Db,
  period: Period,
  { by, filters, cost }: Pick<SpendQuestion, "by" | "filters" | "cost">,
  values: readonly string[],
) {
  const cube = cubeOf(db);
  const toMs = period.toMs;
  const fromMs = Math.max(dayOf(period.firstMs), toMs - DRAWN_DAYS * DAY_MS);
  const parts = cube.daily(by, values, { fromMs, toMs }, filters, cost);
  const whole = cube.total({ fromMs, toMs }, filters, cost);
  const rest = Array.from(whole, (sum, index) => sum - sumOf(parts.map((own) => own[index] as number)));
  return {
    fromMs,
    days: whole.length,
    parts: [
      ...values.map((value, index) => ({
        label: labelOf(db, by, value),
        values: Array.from(parts[index] as Float64Array, cents),
      })),
      ...(rest.some((one) => Math.abs(one) > 0.005) ? [{ label: "All others", values: rest.map(cents) }] : []),
    ],
  };
}

/** Services of accounts with days that stand out of the eight weeks before them. */
function oddOf(db: Db, period: Period, filters: readonly Filter[], cost: Cost) {
  const key = `odd ${period.toMs} ${cost} ${JSON.stringify(filters)}`;
  return memoOf(db, key, (cube) => {
    const fromMs = period.toMs - (LEARN_DAYS + ODD_DAYS) * DAY_MS;
    const span = { fromMs, toMs: period.toMs };
    const perDay = sumOf(cube.total(span, filters, cost)) / (LEARN_DAYS + ODD_DAYS);
    const found = cube.groups("account", [span], filters, cost).flatMap(({ value: account }) => {
      const own: Filter[] = [...filters, { dimension: "account", value: account }];
      const services = cube.groups("service", [span], own, cost).slice(0, 40);
      const days = cube.daily(
        "service",
        services.map((one) => one.value),
        span,
        own,
        cost,
      );
      return services.flatMap(({ value: service }, index) =>
        oddRuns(
          oddDays(
            knownOf(days[index] as Float64Array, fromMs, period.firstMs),
            period.toMs - DAY_MS,
            ODD_DAYS,
            perDay * ODD_SHARE,
          ),
        ).map((one) => ({ account, service, ...one, top: topOf(cube, own, service, one.dayMs, cost) })),
      );
    });
    return found
      .sort((a, b) => Math.abs(b.value - b.usual) - Math.abs(a.value - a.usual))
      .slice(0, MOST_ODD)
      .sort((a, b) => b.dayMs - a.dayMs);
  });
}

/** The resource that cost most more on a day than on the day of the week before. */
function topOf(
  cube: ReturnType<typeof cubeOf>,
  filters: readonly Filter[],
  service: string,
  dayMs: number,
  cost: Cost,
): string {
  const day = { fromMs: dayMs, toMs: dayMs + DAY_MS };
  const week = { fromMs: dayMs - 7 * DAY_MS, toMs: dayMs - 6 * DAY_MS };
  const own = cube.groups("resource", [day, week], [...filters, { dimension: "service", value: service }], cost);
  const changed = own.sort(
    (a, b) =>
      Math.abs((b.sums[0] as number) - (b.sums[1] as number)) - Math.abs((a.sums[0] as number) - (a.sums[1] as number)),
  );
  return changed[0]?.value ?? "";
}

const resourceOf = (db: Db, filters: readonly Filter[]) =>
  filters.map((one) => ({ ...one, name: dimensionLabel(one.dimension), label: labelOf(db, one.dimension, one.value) }));

/** What spend goes by, what was taken in, budgets and currencies. */
export function spendDataPage(db: Db, _asked: object) {
  const cube = cubeOf(db);
  const span = cube.span;
  const all = span ? [span] : [];
  return {
    currency: reportCurrency(db),
    rates: [...ratesOf(db)].map(([currency, rate]) => ({ currency, rate })),
    paidIn: paidIn(db),
    imports: listImports(db, 100),
    budgets: listBudgets(db).map((one) => ({
      ...one,
      scope:
        one.dimension === null
          ? "All spend"
          : `${dimensionLabel(one.dimension as Dimension)}: ${labelOf(db, one.dimension as Dimension, one.value ?? "")}`,
    })),
    choices: [...DIMENSIONS, ...memoOf(db, "tags", (one) => one.tagNames(8)).map((one) => `tag:${one}` as const)].map(
      (dimension) => ({
        dimension,
        label: dimensionLabel(dimension),
        values: all.length
          ? cube
              .groups(dimension, all)
              .slice(0, 100)
              .map((one) => one.value)
              .filter((one) => one !== NONE)
          : [],
      }),
    ),
  };
}

/** The days of this month that are known, and the same days of the month before. */
export function monthOfSpend(db: Db, atMs: number) {
  const period = periodOf(db, atMs, undefined);
  return period && { now: { fromMs: period.monthMs, toMs: period.toMs }, before: period.before };
}

/** What each account cost this month, by its name. */
export function spendOfAccounts(db: Db, atMs: number): { currency: string; accounts: Map<string, number> } | null {
  const period = periodOf(db, atMs, undefined);
  if (!period) return null;
  const groups = cubeOf(db).groups("account", [{ fromMs: period.monthMs, toMs: period.toMs }]);
  return { currency: reportCurrency(db), accounts: new Map(groups.map((one) => [one.value, one.sums[0] as number])) };
}

/** What a component cost: this month to its last whole day, and the month before. */
export function spendOfComponent(db: Db, id: number, atMs: number) {
  const period = periodOf(db, atMs, undefined);
  if (!period) return null;
  const [own] = cubeOf(db).groups(
    "component",
    [{ fromMs: period.monthMs, toMs: period.toMs }, period.before],
    [{ dimension: "component", value: String(id) }],
  );
  if (!own) return null;
  return {
    currency: reportCurrency(db),
    spent: own.sums[0] as number,
    before: own.sums[1] as number,
    toMs: period.toMs,
  };
}
