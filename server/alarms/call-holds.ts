import { severityRank } from "#core/alarms/severity";
import type { Verdict } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import { MINUTE_MS } from "#core/time/windows";
import { activeAlarms } from "../store/alarms";
import type { Db } from "../store/database";
import type { AlarmBook, AlarmEvent, AlarmKind, AlarmName } from "./alarm-book";

/** An alarm from before a start, or a change of rules, is left when nothing said the same again for so long. */
const ORPHANED_MS = 15 * MINUTE_MS;

/** Who holds alarms up: the alarms, while they stand. Calls may go badly to several at once. */
export interface Holder {
  raised: AlarmKind[];
}

export type HoldName = Pick<AlarmKind, "subject" | "metric" | "qualifier">;
const holdKey = (kind: HoldName) => `${kind.subject.type}:${kind.subject.id}|${kind.metric}|${kind.qualifier}`;

/** Alarms about calls stand for as long as anybody holds them up: several callers may say the same of one component. */
export class CallHolds<Of extends Holder> {
  /** Who holds an alarm up, by what it is about. */
  private readonly holders = new Map<string, Set<Of>>();
  /** Alarms that nothing holds up yet, since a start or a change of rules. */
  private readonly orphans = new Map<string, AlarmName>();
  private orphanedAtMs: number | undefined;

  constructor(
    private readonly db: Db,
    private readonly book: AlarmBook,
  ) {}

  /** Begins anew with what stands in the store, which nobody holds up yet. */
  restart(): void {
    this.holders.clear();
    this.orphans.clear();
    this.orphanedAtMs = undefined;
    for (const { detector, subject_type, subject_id, metric, direction, qualifier } of activeAlarms(this.db)) {
      if (detectorOf(detector)?.what !== "calls") continue;
      const kind = { subject: { type: subject_type, id: subject_id }, metric, direction, detector, qualifier };
      this.orphans.set(holdKey(kind), kind);
    }
  }

  /** Clears what stood before the start and was not said again since. */
  leaveOrphans(atMs: number): AlarmEvent[] {
    if (this.orphans.size === 0) return [];
    this.orphanedAtMs ??= atMs;
    if (atMs - this.orphanedAtMs < ORPHANED_MS) return [];
    const left = [...this.orphans.values()];
    this.orphans.clear();
    return left.flatMap((kind) => this.book.clear(kind, "Not seen again since", atMs) ?? []);
  }

  of(kind: HoldName): ReadonlySet<Of> {
    return this.holders.get(holdKey(kind)) ?? new Set();
  }

  hold(one: Of, kind: AlarmKind, verdict: Verdict, atMs: number): AlarmEvent[] {
    const key = holdKey(kind);
    if (!one.raised.some((other) => holdKey(other) === key)) one.raised.push(kind);
    this.orphans.delete(key);
    this.holders.set(key, (this.holders.get(key) ?? new Set()).add(one));
    const known = this.book.severityOf(kind);
    // One more that says the same, or less, changes nothing; what it adds is told by the others' pages.
    if (known !== undefined && severityRank(known) >= severityRank(verdict.severity)) return [];
    const event = this.book.take(kind, verdict, atMs);
    return event ? [event] : [];
  }

  /** It holds nothing up any more; what nobody else holds up is cleared. */
  leave(one: Of, text: string, atMs: number): AlarmEvent[] {
    return one.raised.splice(0).flatMap((kind) => {
      const key = holdKey(kind);
      const holders = this.holders.get(key);
      holders?.delete(one);
      if (holders?.size) return [];
      this.holders.delete(key);
      return this.book.clear(kind, text, atMs) ?? [];
    });
  }
}
