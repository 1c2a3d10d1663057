import { MINUTE_MS, SECOND_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { incidentById, recentIncidents, type IncidentRow } from "../store/incidents";
import { refresh, type Affected, type IncidentEvent } from "./refresh";
import { mergeByCause, splitByCause } from "./regroup";

/** While an incident is young its causes are looked at again so often, then more seldom, then no more. */
const YOUNG_MS = 5 * MINUTE_MS;
const OFTEN_MS = 10 * SECOND_MS;
const OLD_MS = 30 * MINUTE_MS;
const SELDOM_MS = MINUTE_MS;
/** After it took some machine time it rests so many times as long. */
const REST = 10;

const saidOf = ({ title, causes }: Pick<IncidentRow, "title" | "causes">): string =>
  JSON.stringify([title, causes.map(({ name, probability, isRoot }) => [name, Math.round(probability * 100), isRoot])]);

/**
 * Looks at the causes of young incidents again, though no alarm came: traces, oddities and changes arrive by themselves,
 * and the best evidence is often a few seconds behind the first alarm.
 */
export class Reconsider {
  private readonly lookedMs = new Map<number, number>();
  private restsUntil = 0;

  constructor(
    private readonly db: Db,
    private readonly affected: () => Affected,
    private readonly machineMs: () => number = () => performance.now(),
  ) {}

  /** Call after each tick. @returns what is told otherwise now */
  work(atMs: number): IncidentEvent[] {
    const began = this.machineMs();
    if (began < this.restsUntil) return [];
    const open = recentIncidents(this.db, Number.MAX_SAFE_INTEGER).filter(
      (one) => one.resolved_at === null && atMs - one.opened_at < OLD_MS,
    );
    for (const id of this.lookedMs.keys()) if (!open.some((one) => one.id === id)) this.lookedMs.delete(id);
    const looked = ({ id, opened_at }: IncidentRow) => this.lookedMs.get(id) ?? opened_at;
    const isDue = (one: IncidentRow) => {
      const since = atMs - looked(one);
      return since < 0 || since >= (atMs - one.opened_at < YOUNG_MS ? OFTEN_MS : SELDOM_MS);
    };
    const [next] = open.filter(isDue).sort((a, b) => looked(a) - looked(b));
    if (next) this.lookedMs.set(next.id, atMs);
    const events = next ? this.db.transaction(() => this.lookAt(next, atMs))() : [];
    const ended = this.machineMs();
    this.restsUntil = ended + REST * (ended - began);
    return events;
  }

  private lookAt(before: IncidentRow, atMs: number): IncidentEvent[] {
    const { db } = this;
    const affected = this.affected();
    const told = refresh(db, before.id, affected, atMs);
    const now = incidentById(db, before.id);
    if (!now || (told.what === "changed" && saidOf(now) === saidOf(before))) return [];
    const events = [told];
    if (now.causes[0]?.name === before.causes[0]?.name) return events;
    const touched = new Set([before.id]);
    for (const id of mergeByCause(db, touched, affected, atMs)) events.push({ what: "changed", incidentId: id });
    for (const id of splitByCause(db, touched, affected, atMs)) events.push({ what: "opened", incidentId: id });
    return events;
  }
}
