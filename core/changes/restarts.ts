/** What was met at a place in one look, and how long it has been so. */
interface Running {
  pids: ReadonlySet<number>;
  /** Looks in a row that met at least one of them. */
  looks: number;
  /** It ran for some looks once: what never did is no program that was started anew. */
  isSettled: boolean;
  /** When it was started anew lately, as far as looks tell. */
  startsMs: number[];
  toldMs: number[];
}

/** A program that was started anew between two looks. */
export interface Restart {
  id: number;
  /** Its process before and now, where it is a single one. */
  pids?: readonly [before: number, now: number];
}

/** A program is known by what ran for so many looks; what comes and goes with each look is no restart of anything. */
const LEAST_LOOKS = 2;
/** Of one that is started again and again so many are told within an hour. */
const MOST_AN_HOUR = 3;
const HOUR_MS = 3_600_000;
/** Starts are counted over this time. */
const COUNTED_MS = 900_000;

/**
 * Restarts by the numbers of processes (`hrSWRunIndex` of RFC 2790, or those of Linux): a program was started anew when
 * none of the processes that it had runs any more, and others do. What ends and is started later is told when it runs
 * again; workers that come and go beside others are not told.
 */
export class Restarts {
  private readonly running = new Map<number, Running>();

  /**
   * @param programs identity of each program that is watched, with the numbers of its processes; those that do not run
   * at this look are left out or have none
   * @returns what was started anew since the look before, and how often what was so lately was in a quarter of an hour
   */
  look(
    programs: Iterable<readonly [id: number, pids: readonly number[]]>,
    atMs: number,
  ): { restarts: Restart[]; counts: ReadonlyMap<number, number> } {
    const restarts: Restart[] = [];
    const counts = new Map<number, number>();
    for (const [id, pids] of programs) {
      const [pid] = pids;
      if (pid === undefined) continue;
      const known = this.running.get(id);
      const goesOn = known && pids.some((one) => known.pids.has(one));
      const told = (known?.toldMs ?? []).filter((one) => atMs - one < HOUR_MS);
      if (known && !goesOn && known.looks >= LEAST_LOOKS && told.length < MOST_AN_HOUR) {
        const [before] = known.pids;
        restarts.push({ id, ...(known.pids.size === 1 && pids.length === 1 ? { pids: [before as number, pid] } : {}) });
        told.push(atMs);
      }
      const looks = goesOn ? known.looks + 1 : 1;
      const isSettled = known?.isSettled === true || looks >= LEAST_LOOKS;
      const startsMs = (known?.startsMs ?? []).filter((one) => atMs - one < COUNTED_MS);
      if (known?.isSettled && !goesOn) startsMs.push(atMs);
      // The first count of none after others says that it is over.
      if (startsMs.length > 0 || known?.startsMs.length) counts.set(id, startsMs.length);
      this.running.set(id, { pids: new Set(pids), looks, isSettled, startsMs, toldMs: told });
    }
    return { restarts, counts };
  }

  /** Forgets what is watched no longer. */
  keep(ids: ReadonlySet<number>): void {
    for (const id of this.running.keys()) if (!ids.has(id)) this.running.delete(id);
  }
}
