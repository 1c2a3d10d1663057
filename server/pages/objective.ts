import {
  BUDGET_MS,
  budgetLeft,
  burnRate,
  BURN_WINDOWS,
  isBurning,
  sureBurnRate,
  timeLeft,
  type Kept,
} from "#core/stats/objective";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { objectiveReader } from "../store/objective-calls";
import { componentsById } from "../store/estate";
import { ticketsNear } from "../store/tickets";
import type { Db } from "../store/database";
import { listServices, membersOf } from "../store/services";
import { enteredAt, waysInAt } from "../store/ways-in";

/** How a service keeps to its objective: budget, rates at which it burns, and how it went day by day. */
export function objectivePage(db: Db, { uid, atMs }: { uid: string; atMs: number }) {
  const service = listServices(db).find((one) => one.uid === uid);
  if (!service) return null;
  const { objectivePercent, serverLimitMs, figurePercent, figureSide } = service.details;
  const common = {
    service: { uid, name: service.name },
    objectivePercent: objectivePercent ?? null,
    limitMs: serverLimitMs ?? null,
    /** Where it is the business figure that counts. */
    figure:
      figurePercent === undefined
        ? null
        : { percent: figurePercent, isMost: figureSide === "most", label: service.figure?.label ?? "" },
  };
  if (objectivePercent === undefined) return { ...common, known: null };
  const target = objectivePercent / 100;
  const entries = membersOf(db, service.id, atMs).flatMap((row) => (row.entry ? [row.component_id] : []));
  const keptWhole = objectiveReader(db, service, enteredAt(waysInAt(db, atMs), service.id, entries), atMs);
  const planned = plannedFor(db, service, entries, atMs);
  /** What was kept outside planned work. */
  const keptIn = (fromMs: number, toMs: number): Kept => {
    const kept = keptWhole(fromMs, toMs);
    for (const one of planned) {
      const [from, to] = [Math.max(fromMs, one.fromMs), Math.min(toMs, one.toMs - 1)];
      if (from >= to) continue;
      const meanwhile = keptWhole(from, to);
      kept.calls -= meanwhile.calls;
      kept.bad -= meanwhile.bad;
    }
    return kept;
  };
  // Calls are counted by minutes: days meet where one minute ends and the next begins.
  const end = (Math.floor(atMs / MINUTE_MS) + 1) * MINUTE_MS;
  const days = Array.from({ length: BUDGET_MS / DAY_MS }, (_, day) => {
    const toMs = end - (BUDGET_MS / DAY_MS - 1 - day) * DAY_MS;
    return { atMs: Math.min(toMs, atMs), ...keptIn(toMs - DAY_MS, toMs - 1) };
  });
  const whole = days.reduce((sum, day) => ({ calls: sum.calls + day.calls, bad: sum.bad + day.bad }), {
    calls: 0,
    bad: 0,
  });
  const windows = BURN_WINDOWS.map(({ longMs, shortMs, rate }) => {
    const kept = keptIn(atMs - longMs, atMs);
    const long = burnRate(kept, target);
    const short = burnRate(keptIn(atMs - shortMs, atMs), target);
    return { longMs, shortMs, rate, long, short, burns: isBurning(sureBurnRate(kept, target), short, rate) };
  });
  const left = budgetLeft(whole, target);
  let bad = 0;
  return {
    ...common,
    known: {
      ...whole,
      share: whole.calls ? 1 - whole.bad / whole.calls : null,
      left,
      timeLeftMs: timeLeft(left, windows[0]?.long ?? 0) ?? null,
      plannedMs: planned.reduce((sum, one) => sum + (one.toMs - one.fromMs), 0),
      windows,
      // What was left of the budget at the end of each day, the whole period's calls being its measure.
      days: days.map((day) => {
        bad += day.bad;
        return {
          atMs: day.atMs,
          calls: day.calls,
          bad: day.bad,
          left: budgetLeft({ calls: whole.calls, bad }, target),
        };
      }),
    },
  };
}

/**
 * Windows of planned work on a service over the budget's period, merged: of tickets that name it, an entry point, or the
 * host of one. What people announced does not use up what was promised.
 */
function plannedFor(
  db: Db,
  service: { uid: string; name: string },
  entries: readonly number[],
  atMs: number,
): { fromMs: number; toMs: number }[] {
  const rows = componentsById(db, entries);
  const hosts = componentsById(
    db,
    rows.flatMap((row) => row.host_id ?? []),
  );
  const names = new Set(
    [service.uid, service.name, ...[...rows, ...hosts].map((row) => row.name)].map((name) => name.toLowerCase()),
  );
  const merged: { fromMs: number; toMs: number }[] = [];
  const windows = ticketsNear(db, atMs - BUDGET_MS, atMs, [])
    .filter((one) => one.things.some((thing) => names.has(thing.toLowerCase())))
    .flatMap(({ fromMs, toMs }) =>
      fromMs === null || toMs === null || toMs <= fromMs
        ? []
        : [{ fromMs: Math.max(fromMs, atMs - BUDGET_MS), toMs: Math.min(toMs, atMs) }],
    )
    .filter((one) => one.toMs > one.fromMs)
    .sort((a, b) => a.fromMs - b.fromMs);
  for (const one of windows) {
    const last = merged.at(-1);
    if (last && one.fromMs <= last.toMs) last.toMs = Math.max(last.toMs, one.toMs);
    else merged.push({ ...one });
  }
  return merged;
}
