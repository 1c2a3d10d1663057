import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { SEVERITIES, type Severity } from "./severity";

/** One alarm as its load on people is counted. */
export interface CountedAlarm {
  /** Tells alarms of one thing apart from others: what it is on, its type and qualifier. */
  key: string;
  ruleId: number | null;
  severity: Severity;
  raisedMs: number;
  /** Null while it stands. */
  clearedMs: number | null;
}

/** Published values of alarm management (ANSI/ISA-18.2, EEMUA 191; from memory), for one person. */
export const ACCEPTABLE = { perDay: 150, mostPerDay: 300, floodIn10Min: 10, staleMs: DAY_MS } as const;
/** What share of alarms should be of each priority: about 80, 15 and 5 percent from the lowest up. */
export const SHARES = { low: 0.8, middle: 0.15, high: 0.05 } as const;
/** The same thing, raised so often within an hour, chatters; what is over within so long is fleeting. */
const CHATTERS = 3;
const FLEETING_MS = MINUTE_MS;
const TEN_MINUTES_MS = 10 * MINUTE_MS;
const MOST_RULES = 10;

export interface Load {
  count: number;
  perHour: number;
  perDay: number;
  /** The most that were raised within ten minutes, and when that began. */
  peak: { count: number; atMs: number | null };
  /** Spans in which more came in ten minutes than one person can take in. */
  floods: { fromMs: number; toMs: number; count: number }[];
  /** Share of the time that was flooded. */
  floodedShare: number;
  standing: number;
  stale: number;
  fleeting: number;
  chattering: { key: string; count: number }[];
  bySeverity: Record<Severity, number>;
  /** Shares of what is warned of only, minor and major, and critical. */
  shares: { low: number; middle: number; high: number };
  worstRules: { ruleId: number; count: number; fleeting: number; chattering: number }[];
}

/** The load that alarms put on one person over a window. */
export function loadOf(alarms: readonly CountedAlarm[], fromMs: number, toMs: number): Load {
  const raised = alarms
    .filter((one) => one.raisedMs >= fromMs && one.raisedMs <= toMs)
    .sort((a, b) => a.raisedMs - b.raisedMs);
  const standing = alarms.filter((one) => one.raisedMs <= toMs && (one.clearedMs === null || one.clearedMs > toMs));
  const hours = Math.max(1 / 60, (toMs - fromMs) / HOUR_MS);
  const bySeverity = Object.fromEntries(SEVERITIES.map((one) => [one, 0])) as Record<Severity, number>;
  for (const one of raised) bySeverity[one.severity]++;
  const floods = floodsOf(raised);
  const chattering = chatteringOf(raised);
  const share = (count: number) => (raised.length ? count / raised.length : 0);
  return {
    count: raised.length,
    perHour: raised.length / hours,
    perDay: (raised.length / hours) * 24,
    peak: peakOf(raised),
    floods,
    floodedShare:
      floods.reduce((sum, one) => sum + Math.min(one.toMs, toMs) - one.fromMs, 0) / Math.max(1, toMs - fromMs),
    standing: standing.length,
    stale: standing.filter((one) => toMs - one.raisedMs > ACCEPTABLE.staleMs).length,
    fleeting: raised.filter(isFleeting).length,
    chattering: [...chattering].map(([key, count]) => ({ key, count })).sort((a, b) => b.count - a.count),
    bySeverity,
    shares: {
      low: share(bySeverity.warning + bySeverity.indeterminate),
      middle: share(bySeverity.minor + bySeverity.major),
      high: share(bySeverity.critical),
    },
    worstRules: worstOf(raised, chattering),
  };
}

const isFleeting = ({ raisedMs, clearedMs }: CountedAlarm) => clearedMs !== null && clearedMs - raisedMs < FLEETING_MS;

function peakOf(raised: readonly CountedAlarm[]): Load["peak"] {
  let best: Load["peak"] = { count: 0, atMs: null };
  let from = 0;
  raised.forEach((one, index) => {
    while (one.raisedMs - (raised[from] as CountedAlarm).raisedMs >= TEN_MINUTES_MS) from++;
    const count = index - from + 1;
    if (count > best.count) best = { count, atMs: (raised[from] as CountedAlarm).raisedMs };
  });
  return best;
}

/** A flood begins with more than ten alarms in ten minutes, and is over when fewer than five come in ten. */
function floodsOf(raised: readonly CountedAlarm[]): Load["floods"] {
  const floods: Load["floods"] = [];
  let from = 0;
  let open: Load["floods"][number] | undefined;
  raised.forEach((one, index) => {
    while (one.raisedMs - (raised[from] as CountedAlarm).raisedMs >= TEN_MINUTES_MS) from++;
    const count = index - from + 1;
    if (open && count < ACCEPTABLE.floodIn10Min / 2) open = undefined;
    if (!open && count > ACCEPTABLE.floodIn10Min) {
      open = { fromMs: (raised[from] as CountedAlarm).raisedMs, toMs: one.raisedMs, count: count - 1 };
      floods.push(open);
    }
    if (open) {
      open.toMs = one.raisedMs;
      open.count++;
    }
  });
  return floods;
}

/** Things that were raised again and again within an hour, with how often in all. */
function chatteringOf(raised: readonly CountedAlarm[]): Map<string, number> {
  const times = new Map<string, number[]>();
  for (const one of raised) times.set(one.key, [...(times.get(one.key) ?? []), one.raisedMs]);
  const result = new Map<string, number>();
  for (const [key, list] of times)
    if (list.some((at, index) => (list[index + CHATTERS - 1] ?? Number.POSITIVE_INFINITY) - at <= HOUR_MS))
      result.set(key, list.length);
  return result;
}

function worstOf(raised: readonly CountedAlarm[], chattering: ReadonlyMap<string, number>): Load["worstRules"] {
  const rules = new Map<number, { ruleId: number; count: number; fleeting: number; chattering: number }>();
  for (const one of raised) {
    if (one.ruleId === null) continue;
    const rule = rules.get(one.ruleId) ?? { ruleId: one.ruleId, count: 0, fleeting: 0, chattering: 0 };
    rules.set(one.ruleId, rule);
    rule.count++;
    if (isFleeting(one)) rule.fleeting++;
    if (chattering.has(one.key)) rule.chattering++;
  }
  return [...rules.values()].sort((a, b) => b.count - a.count).slice(0, MOST_RULES);
}
