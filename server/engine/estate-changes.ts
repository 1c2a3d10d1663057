import type { AlarmEvent } from "../alarms/alarm-book";
import type { Judges } from "../alarms/judges";
import { applyCollections } from "../estate/collections";
import type { LiveEvent } from "../events";
import type { BatchIngest } from "../ingest/batches";
import type { CertificatePoller } from "../polling/certificates";
import type { PlatformPoller } from "../polling/platforms";
import type { Poller } from "../polling/poller";
import type { Db } from "../store/database";
import type { KnownEstate } from "./known-estate";

/** Taking up what changed in the estate rests so many times as long as it takes. */
const TAKE_UP_REST = 16;

export interface ChangeParts {
  db: Db;
  now: () => number;
  emit: (event: LiveEvent) => void;
  estate: KnownEstate;
  judges: Judges;
  poller: Poller;
  platforms: PlatformPoller;
  certificates: CertificatePoller;
  batches: BatchIngest;
  /** What alarms mean for services and incidents. */
  follow: (events: readonly AlarmEvent[], atMs?: number) => void;
  /** The past is lived through: changes are taken up at once. */
  isInPast: () => boolean;
}

/** Takes up what changed in the estate: names, kinds, memberships, what is polled, what is not judged any more. */
export class EstateChanges {
  private waits = false;
  private takeUpFromMs = 0;

  constructor(private readonly parts: ChangeParts) {}

  /** Taken up with one of the next ticks: newcomers come in crowds. */
  noteNewcomers = (): void => {
    this.waits = true;
  };

  /** Takes up what waits; what takes long on a large estate is done the more seldom. */
  takeUpWaiting(): void {
    if (!this.waits || performance.now() < this.takeUpFromMs) return;
    this.waits = false;
    const started = performance.now();
    this.takeUp([]);
    this.takeUpFromMs = performance.now() + TAKE_UP_REST * (performance.now() - started);
    this.tellEstate();
  }

  tellEstate(): void {
    this.parts.emit({ topic: "estate", atMs: this.parts.now() });
  }

  /** Takes up at once what somebody waits for, and tells open pages. */
  takeUpNow(retired: readonly number[]): void {
    this.takeUp(retired);
    this.tellEstate();
  }

  /** Takes up that the estate changed: with the next tick, because changes come in crowds; at once while the past is lived. */
  note(retired: readonly number[]): void {
    if (this.parts.isInPast()) return this.takeUp(retired);
    this.clearAlarms(retired, []);
    this.waits = true;
  }

  takeUp(retired: readonly number[]): void {
    const { db, estate, judges, follow } = this.parts;
    const atMs = this.parts.now();
    const left = db.transaction(() => applyCollections(db, atMs))();
    this.clearAlarms(retired, left);
    const before = [...estate.services.keys()];
    this.regroup();
    this.reload();
    const gone = before.filter((id) => !estate.services.has(id));
    if (gone.length)
      db.transaction(() =>
        follow(
          gone.flatMap((id) => judges.clearService(id, atMs)),
          atMs,
        ),
      )();
  }

  /** Works services out anew from the present relations. */
  regroup(): void {
    this.parts.estate.regroup();
    this.parts.judges.estateChanged();
  }

  /** Takes up names, kinds, memberships, what is polled. */
  reload(): void {
    const { estate, poller, platforms, certificates, batches, now } = this.parts;
    estate.reload();
    poller.reload(now());
    platforms.reload();
    certificates.reload(now());
    batches.reload();
  }

  /** Clears the alarms of what left the estate, and of what is not watched any more. */
  private clearAlarms(retired: readonly number[], left: readonly number[]): void {
    if (retired.length === 0 && left.length === 0) return;
    const { db, judges, follow, emit } = this.parts;
    const atMs = this.parts.now();
    const events = db.transaction(() => {
      const clear = (ids: readonly number[], why: string) => ids.flatMap((id) => judges.clearComponent(id, why, atMs));
      const cleared = [
        ...clear(retired, "No longer monitored"),
        ...clear(left, "Not watched any more, by a collection it belongs to"),
      ];
      if (cleared.length) follow(cleared);
      return cleared;
    })();
    if (events.length) emit({ topic: "alarms", atMs });
  }
}
