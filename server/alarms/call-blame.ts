import type { CallUsual } from "#core/detection/call-usual";
import { shareAtLeast } from "#core/stats/tails";
import { MINUTE_MS } from "#core/time/windows";
import { peersOf, type Peer } from "../causes/peers";
import type { Db } from "../store/database";
import type { CallLine, CallLines } from "./call-lines";
import type { CallPast } from "./call-past";

/** Whom calls went to is looked up over this span. */
const PEERS_MS = 6 * MINUTE_MS;
/** Others are asked how they are answered over the last moments: what was before says nothing of now. */
const OTHERS_MS = 2 * MINUTE_MS;
/** Where few call, they are asked for as long as the calls go badly, if that is no longer than so. */
const MOST_OTHERS_MS = 10 * MINUTE_MS;
const ENOUGH_ANSWERED = 3;
/** So many slow calls or more come by chance with this probability at the least: they are quick as usual. */
const AS_USUAL = 0.05;
/** The limit is the 95th percentile of the past; where that was all alike, one in so many takes longer all the same. */
const LEAST_SLOW = 0.05;
/** Of the calls to one place so many must be bad, beside the worst place. */
const SHARE_OF_WORST = 0.5;
/** What goes badly is followed so many calls down, from a little before it began; so much of it must be at one place. */
const STEPS_DOWN = 3;
const DOWN_MS = 3 * MINUTE_MS;
const MOST_DOWN_MS = 30 * MINUTE_MS;
const MOST_OF_IT = 0.5;

/** What is asked of those who know the estate, and of those who judge. */
export interface BlameContext {
  /** The site of a component; empty where it is not known. */
  siteOf(componentId: number): string;
  /** Whom a component calls, as its relations tell. */
  calleesOf(componentId: number): readonly number[];
  /** Whether an alarm of a metric stands for a line. */
  isBad(line: CallLine, metric: string): boolean;
}

/** Calls that go badly: whose, by which metric, and since when. */
export interface BadCalls {
  line: CallLine;
  metric: string;
  onsetMs: number;
}

/** Whom calls that go badly are to be laid to: who makes them, or whom they went to. */
export class CallBlame {
  constructor(
    private readonly db: Db,
    private readonly lines: Pick<CallLines, "of" | "named">,
    private readonly past: CallPast,
    private readonly context: BlameContext,
  ) {}

  /**
   * Those to whom calls went badly: all that come near the worst of them; nobody where no trace tells.
   * @param usual of the calls; those that took longer than usual are bad, if it is that
   */
  worst({ line, metric }: BadCalls, usual: CallUsual, atMs: number): Peer[] {
    if (line.operationId === undefined) return [];
    const limitUs = metric === "calls.slow" ? usual.limitUs : Number.POSITIVE_INFINITY;
    const peers = peersOf(this.db, line.operationId, atMs - PEERS_MS, atMs + MINUTE_MS, limitUs);
    const [worst] = peers;
    if (!worst || worst.bad === 0) return [];
    return peers.filter((one) => one.bad / one.calls >= (SHARE_OF_WORST * worst.bad) / worst.calls);
  }

  /** Whether who is called is well all the same: others are answered well, or it counts its answers and they are. */
  isWell(componentId: number, bad: BadCalls, atMs: number): boolean {
    if (this.answersOthers(componentId, bad, atMs)) return true;
    const { line, metric } = bad;
    if (metric === "calls.failing") return false;
    const own = [...this.lines.of(new Set([componentId]), "answers")].filter((one) => this.past.has(one));
    return own.some((one) => one.name === line.name) && !own.some((one) => this.context.isBad(one, metric));
  }

  /**
   * Whether the same is asked of it by others, and never fails for them, nor takes longer than it usually does: then the
   * trouble is on the caller's side, who has no connection left for it, or between the two. Those beside a caller at
   * another site share the way there, and tell nothing. Calls that never arrive are missing in its own count, so that
   * tells nothing either.
   */
  private answersOthers(componentId: number, { line, metric, onsetMs }: BadCalls, atMs: number): boolean {
    const site = this.context.siteOf(line.componentId);
    const isAfar = site !== "" && site !== this.context.siteOf(componentId);
    const others = [...this.lines.named(line.name, "makes")].filter(
      (one) => one.componentId !== line.componentId && (!isAfar || this.context.siteOf(one.componentId) !== site),
    );
    const soon = this.answered(componentId, others, metric, atMs - OTHERS_MS, atMs);
    if (soon === undefined || soon >= ENOUGH_ANSWERED) return soon !== undefined;
    if (!isAfar) return false;
    // Few ask for the same: as long as it lasts, and whatever else they ask, it would go badly where it is not well.
    const since = Math.min(atMs - OTHERS_MS, Math.max(onsetMs, atMs - MOST_OTHERS_MS));
    const whatever = [...this.lines.of(new Set(others.map((one) => one.componentId)), "makes")];
    return (this.answered(componentId, whatever, metric, since, atMs) ?? 0) >= ENOUGH_ANSWERED;
  }

  /** How many calls of some lines a component answered well; undefined where any line is answered badly. */
  private answered(
    componentId: number,
    lines: readonly CallLine[],
    metric: string,
    fromMs: number,
    atMs: number,
  ): number | undefined {
    const isSlow = metric === "calls.slow";
    let answered = 0;
    for (const line of lines) {
      if (line.operationId === undefined) continue;
      const usual = this.past.learned(line);
      if (isSlow && !usual) continue;
      const limitUs = isSlow && usual ? usual.limitUs : Number.POSITIVE_INFINITY;
      for (const peer of peersOf(this.db, line.operationId, fromMs, atMs, limitUs)) {
        if (peer.componentId !== componentId) continue;
        if (isSlow && usual ? !isAsQuick(peer, usual) : peer.bad > 0) return undefined;
        answered += peer.calls;
      }
    }
    return answered;
  }

  /**
   * Where most of what goes badly for some components goes badly: whom they call, and whom those call, from step to step;
   * all that they call where no trace tells.
   * @param metric calls.slow, or else those that fail
   * @param onsetMs when it began; whoever went badly then may be called no more by now
   */
  badAt(componentIds: ReadonlySet<number>, metric: string, onsetMs: number, atMs: number): Set<number> {
    const fromMs = Math.max(atMs - MOST_DOWN_MS, Math.min(onsetMs - MINUTE_MS, atMs - DOWN_MS));
    const found = new Set<number>();
    let next: ReadonlySet<number> = componentIds;
    for (let step = 0; step < STEPS_DOWN && next.size > 0; step++) {
      const bad = new Map<number, number>();
      const called = new Set<number>();
      const silent = new Set(next);
      for (const line of this.lines.of(next, "makes")) {
        silent.delete(line.componentId);
        if (line.operationId === undefined || line.touchedMs < fromMs) continue;
        const limitUs = metric === "calls.slow" ? this.past.now(line)?.limitUs : undefined;
        for (const peer of peersOf(this.db, line.operationId, fromMs, atMs, limitUs ?? Number.POSITIVE_INFINITY))
          if (peer.bad > 0) bad.set(peer.componentId, (bad.get(peer.componentId) ?? 0) + peer.bad);
          else called.add(peer.componentId);
      }
      const all = [...bad.values()].reduce((sum, count) => sum + count, 0);
      next = new Set([...bad].flatMap(([id, count]) => (count >= MOST_OF_IT * all && !found.has(id) ? [id] : [])));
      // Where only some calls are traced, those that went badly may not be among them: it is one of those it calls.
      if (step === 0 && bad.size === 0)
        return new Set([...called, ...[...componentIds].flatMap((id) => this.context.calleesOf(id))]);
      // What tells nothing of its own calls may have it from any that it calls.
      for (const id of silent) for (const callee of this.context.calleesOf(id)) found.add(callee);
      for (const id of next) found.add(id);
    }
    return found;
  }
}

/** Whether no more of some calls took longer than the usual limit than do now and then. */
const isAsQuick = ({ calls, bad }: { calls: number; bad: number }, { slow }: CallUsual): boolean =>
  shareAtLeast(bad, calls, Math.max(LEAST_SLOW, slow.share), slow.alike) >= AS_USUAL;
