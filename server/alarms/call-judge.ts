import { kindMatches } from "#core/catalogue/kinds";
import type { CallUsual } from "#core/detection/call-usual";
import { recoveryOf, type CallsSince, type HoldingCalls } from "#core/detection/call-recovery";
import type { CallSettings } from "#core/detection/calls";
import type { CallDetector, Verdict } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import { MINUTE_MS } from "#core/time/windows";
import type { FreshSample } from "../ingest/sample-writer";
import { alarmsStood, listRules, type RuleRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import type { SpanWriter } from "../store/span-writer";
import type { AlarmBook, AlarmEvent } from "./alarm-book";
import { CallBlame, type BadCalls, type BlameContext } from "./call-blame";
import { CallHolds, type Holder, type HoldName } from "./call-holds";
import type { CallLine, CallLines } from "./call-lines";
import { CallPast } from "./call-past";
import { waysIn, type WayIn } from "./service-calls";

/** Calls behind others that go badly are looked at where any came so lately. */
const LATELY_MS = 6 * MINUTE_MS;
/** What is known of so many lines and services is looked through for what is gone. */
const MOST_KNOWN = 100_000;
/** What is asked of calls behind others that go badly: one in a thousand by chance is enough, and two of them. */
const BEHIND = { score: 37.5, leastCalls: 2 };
const FAILING = "calls.failing";

interface Judge {
  rule: RuleRow;
  detector: CallDetector;
  metric: string;
}

/** What is judged of one line or service by one rule, and the alarm that follows from it. */
interface Watch extends Holder {
  judge: Judge;
  state: unknown;
}

/** What the judge asks of those who know the estate. */
export interface CallContext extends Omit<BlameContext, "isBad"> {
  kindOf(componentId: number): string | undefined;
  isWatched(componentId: number): boolean;
  nameOf(componentId: number): string;
  serviceUid(serviceId: number): string | undefined;
  /** Components by which each service is entered. */
  entries(): ReadonlyMap<number, ReadonlySet<number>>;
  /** Whether what is asked of a component under a name is asked of a service. */
  takes(serviceId: number, componentId: number, operation: string): boolean;
  /** Services that rely on what an open incident is about. */
  troubledServices(): ReadonlySet<number>;
  /** Machine time that learning may take of a tick, and how many times as seldom as usual it is done. */
  learning(): { budgetMs: number; seldom: number };
}

/** Judges how calls go: of each operation where it is answered or made, and of each service where it is entered. */
export class CallJudge {
  private judges: Judge[] = [];
  private readonly past: CallPast;
  private readonly watches = new Map<string, Watch[]>();
  /** Lines whose alarm stands, judged at each tick. */
  private readonly standing = new Map<string, CallLine>();
  private readonly standingServices = new Set<number>();
  /** Services of which harm is likely beforehand. */
  private troubled: ReadonlySet<number> = new Set();
  private readonly holds: CallHolds<Watch>;
  private readonly blame: CallBlame;

  constructor(
    private readonly db: Db,
    book: AlarmBook,
    private readonly lines: CallLines,
    private readonly context: CallContext,
  ) {
    this.past = new CallPast(
      lines,
      () => context.learning().seldom,
      ({ componentId, name }, sinceMs) => alarmsStood(db, { type: "component", id: componentId }, name, sinceMs),
    );
    this.holds = new CallHolds(db, book);
    this.blame = new CallBlame(db, lines, this.past, {
      siteOf: (id) => context.siteOf(id),
      calleesOf: (id) => context.calleesOf(id),
      isBad: (line, metric) =>
        this.watchesOf(line).some((watch) => watch.judge.metric === metric && watch.raised.length > 0),
    });
    this.loadRules();
  }

  /** Takes changed rules up. Alarms of rules that are gone or off are left by the next tick. */
  loadRules(): void {
    this.judges = listRules(this.db).flatMap((rule): Judge[] => {
      const detector = detectorOf(rule.type);
      if (detector?.what !== "calls") return [];
      return [{ rule, detector, metric: detector.reads(rule.settings).metric }];
    });
    this.watches.clear();
    this.standing.clear();
    this.standingServices.clear();
    this.holds.restart();
  }

  /** Judges what came since the last tick; call inside a transaction. */
  evaluate(spans: SpanWriter, fresh: readonly FreshSample[], atMs: number): AlarmEvent[] {
    const changed = this.lines.take(spans, fresh, atMs);
    if (this.judges.length === 0) return this.holds.leaveOrphans(atMs);
    const until = performance.now() + this.context.learning().budgetMs;
    const events = this.holds.leaveOrphans(atMs);
    for (const line of changed) events.push(...this.passOn(line, atMs));
    for (const line of this.standing.values()) changed.add(line);
    for (const line of changed) {
      if (line.newcomer !== undefined) continue;
      const usual = this.past.usualOf(line, this.standing.has(line.key), atMs, until);
      if (usual && this.context.isWatched(line.componentId)) events.push(...this.judgeLine(line, usual, atMs));
    }
    events.push(...this.lookBehind(atMs));
    this.bound();
    this.troubled = this.context.troubledServices();
    const touched = new Set([...changed].map((line) => line.componentId));
    for (const [id, own] of this.context.entries()) {
      const entries = this.withBeside(own);
      if (this.standingServices.has(id) || [...entries].some((one) => touched.has(one)))
        events.push(...this.judgeService(id, entries, atMs));
    }
    return events;
  }

  /** Forgets what is known of lines that are not kept any more: names of operations come from outside. */
  private bound(): void {
    if (this.past.size + this.watches.size < MOST_KNOWN) return;
    this.past.bound();
    for (const [key, list] of this.watches)
      if (!key.startsWith("s") && !this.lines.has(key) && list.every((one) => one.raised.length === 0))
        this.watches.delete(key);
  }

  /** Calls that are another component's by now, because its process came to be known, hold nothing up at the one before. */
  private passOn({ key, componentId }: CallLine, atMs: number): AlarmEvent[] {
    const before = this.standing.get(key);
    if (!before || before.componentId === componentId) return [];
    const name = this.context.nameOf(componentId);
    const left = (this.watches.get(key) ?? []).flatMap((watch) =>
      this.holds.leave(watch, `These calls are known to be answered by ${name}`, atMs),
    );
    this.watches.delete(key);
    this.standing.delete(key);
    return left;
  }

  /** @param only a metric: rules about others leave the line as it is */
  private judgeLine(line: CallLine, usual: CallUsual, atMs: number, only?: string): AlarmEvent[] {
    const events: AlarmEvent[] = [];
    const points = line.points(usual);
    let stands = false;
    for (const watch of this.watchesOf(line)) {
      const { detector, rule } = watch.judge;
      if (only !== undefined && watch.judge.metric !== only) {
        stands ||= watch.raised.length > 0;
        continue;
      }
      if (!rule.enabled) {
        events.push(...this.holds.leave(watch, "The rule was switched off", atMs));
        continue;
      }
      const input = { atMs, points, usual };
      const verdict = detector.evaluate(rule.settings, watch.state, input, {
        instance: line.name,
        unit: line.side === "takes" ? "messages" : "",
      });
      if (verdict?.severity === "cleared") events.push(...this.holds.leave(watch, verdict.text, atMs));
      else if (verdict) events.push(...this.raise(watch, line, usual, verdict, atMs));
      stands ||= watch.raised.length > 0;
    }
    if (stands) this.standing.set(line.key, line);
    else this.standing.delete(line.key);
    return events;
  }

  /**
   * Behind calls that are answered badly there may be others that were made for them: where these go badly too, fewer of
   * them are enough to say so, because it is likely beforehand.
   */
  private lookBehind(atMs: number): AlarmEvent[] {
    const troubled = new Set<number>();
    for (const line of this.standing.values()) if (line.side !== "makes") troubled.add(line.componentId);
    if (troubled.size === 0) return [];
    return [...this.lines.of(troubled, "makes")].flatMap((line) => {
      const usual = this.past.now(line);
      if (!usual || line.touchedMs < atMs - LATELY_MS) return [];
      const points = line.points(usual);
      return this.watchesOf(line).flatMap((watch) => {
        const { detector, rule } = watch.judge;
        if (watch.raised.length > 0 || !rule.enabled) return [];
        const settings = { ...(rule.settings as CallSettings), ...BEHIND };
        const judged = { instance: line.name, unit: "" };
        const verdict = detector.evaluate(settings, watch.state, { atMs, points, usual }, judged);
        if (!verdict || verdict.severity === "cleared") return [];
        this.standing.set(line.key, line);
        return this.raise(watch, line, usual, verdict, atMs);
      });
    });
  }

  private watchesOf(line: CallLine): Watch[] {
    let list = this.watches.get(line.key);
    if (!list) {
      const kind = this.context.kindOf(line.componentId);
      list = this.judges
        .filter(({ rule: { scope } }) => scope.subject === "component" && kind && kindMatches(scope.kind, kind))
        .map((judge) => ({ judge, state: judge.detector.fresh(), raised: [] }));
      this.watches.set(line.key, list);
    }
    return list;
  }

  /**
   * Calls that are answered badly are the fault of who answers; calls that are made and go badly point at whom they
   * went to, unless it never fails when others ask it the same, or tells of its own answers that they are quick.
   */
  private raise(watch: Watch, line: CallLine, usual: CallUsual, verdict: Verdict, atMs: number): AlarmEvent[] {
    const own: Subject = { type: "component", id: line.componentId };
    const bad: BadCalls = { line, metric: watch.judge.metric, onsetMs: verdict.onsetMs };
    const blamed = line.side === "makes" ? this.blame.worst(bad, usual, atMs) : [];
    if (blamed.length === 0)
      return this.hold(watch, own, line.name, { ...verdict, text: `${line.name}: ${verdict.text}` }, atMs);
    const caller = this.context.nameOf(line.componentId);
    return blamed.flatMap((peer) => {
      if (this.blame.isWell(peer.componentId, bad, atMs)) {
        const text = `${line.name} to ${peer.name}: ${verdict.text}`;
        return this.hold(watch, own, `to ${peer.name}`, { ...verdict, text }, atMs);
      }
      const text = `As ${caller} sees it, ${line.name}: ${verdict.text}`;
      return this.hold(watch, { type: "component", id: peer.componentId }, "", { ...verdict, text }, atMs);
    });
  }

  /** Where most of what goes badly for some components goes badly (see `CallBlame.badAt`). */
  badAt(componentIds: ReadonlySet<number>, metric: string, onsetMs: number, atMs: number): Set<number> {
    return this.blame.badAt(componentIds, metric, onsetMs, atMs);
  }

  private hold(watch: Watch, subject: Subject, qualifier: string, verdict: Verdict, atMs: number): AlarmEvent[] {
    const { rule, detector, metric } = watch.judge;
    const direction = detector.direction(rule.settings);
    const about = { subject, metric, direction, qualifier };
    return this.holds.hold(
      watch,
      { ...about, ruleId: rule.id, seriesId: null, detector: detector.type },
      verdict,
      atMs,
    );
  }

  /**
   * How the calls that hold an alarm up went since an instant: how many began, how many of them were bad, and whether all
   * is well with each line of them; undefined where nobody knows yet.
   */
  since(alarm: HoldName, fromMs: number, atMs: number): CallsSince | undefined {
    const holders = this.holds.of(alarm);
    if (holders.size === 0) return undefined;
    const held: HoldingCalls[] = [];
    const take = (watch: Watch, input: Omit<HoldingCalls, "settings">) =>
      held.push({ settings: watch.judge.rule.settings as CallSettings, ...input });
    for (const line of this.standing.values()) {
      const own = (this.watches.get(line.key) ?? []).filter((watch) => holders.has(watch));
      const usual = own.length > 0 ? this.past.now(line) : undefined;
      if (!usual) continue;
      const calls = { points: line.points(usual), usual, rest: line.restOfMinute(usual, fromMs) };
      for (const watch of own) take(watch, calls);
    }
    for (const id of this.standingServices)
      for (const { watches, way } of this.waysIn(
        id,
        this.withBeside(this.context.entries().get(id) ?? new Set()),
        atMs,
      ))
        for (const watch of watches) if (holders.has(watch)) take(watch, way.input);
    return held.length < holders.size ? undefined : recoveryOf(held, fromMs);
  }

  /** Whether a rule that is on judges the calls by which a service is entered, and enough of them are known. */
  isMeasured(id: number): boolean {
    const entries = this.context.entries().get(id);
    if (!entries || !this.serviceWatches(id).some((watch) => watch.judge.rule.enabled)) return false;
    for (const line of this.answeredFor(id, entries)) if (this.past.learned(line)) return true;
    return false;
  }

  private serviceWatches(id: number): Watch[] {
    const key = `s${id}`;
    let list = this.watches.get(key);
    if (!list) {
      const uid = this.context.serviceUid(id);
      list = this.judges
        .filter(
          ({ rule: { scope } }) => scope.subject === "service" && (scope.service === "*" || scope.service === uid),
        )
        .map((judge) => ({ judge, state: judge.detector.fresh(), raised: [] }));
      this.watches.set(key, list);
    }
    return list;
  }

  /**
   * The calls by which a service is entered: all together, and those of each thing that can be asked of it, over all its
   * entry points. If one of these fails for nearly everybody, those who need it have no service, however many ask for
   * something else: it is critical where all calls would have to be so.
   */
  private judgeService(id: number, entries: ReadonlySet<number>, atMs: number): AlarmEvent[] {
    const events: AlarmEvent[] = [];
    let stands = false;
    const judged = new Set<Watch>();
    events.push(...this.judgeNew(id, entries, atMs));
    for (const { watches, way } of this.waysIn(id, entries, atMs)) {
      const { input, name, newcomers, weigh } = way;
      for (const watch of watches) {
        judged.add(watch);
        const { detector, rule } = watch.judge;
        // What was told of with less evidence is judged by it for as long as it stands.
        const isLikely = this.troubled.has(id) || watch.raised.length > 0;
        const verdict = rule.enabled
          ? detector.evaluate(
              weigh(rule.settings as CallSettings, isLikely),
              watch.state,
              { atMs, ...input },
              { instance: name, unit: "" },
            )
          : { severity: "cleared" as const, score: 0, onsetMs: atMs, text: "The rule was switched off" };
        if (verdict?.severity === "cleared") events.push(...this.holds.leave(watch, verdict.text, atMs));
        else if (verdict) {
          const text = `${name === "" ? "" : `${name}: `}${verdict.text}${newcomers}`;
          events.push(...this.hold(watch, { type: "service", id }, "", { ...verdict, text }, atMs));
        }
        stands ||= watch.raised.length > 0;
      }
    }
    // A way in that was taken away holds nothing up any more.
    for (const metric of new Set([...judged].map((watch) => watch.judge.metric))) {
      const held = this.holds.of({ subject: { type: "service", id }, metric, qualifier: "" });
      const gone = [...held].filter((watch) => !judged.has(watch));
      for (const watch of gone) events.push(...this.holds.leave(watch, "It is not entered that way any more", atMs));
    }
    if (stands) this.standingServices.add(id);
    else this.standingServices.delete(id);
    return events;
  }

  /** Entry points, and hosts that answer the same beside them, of which no process is known yet. */
  private withBeside(entries: ReadonlySet<number>): ReadonlySet<number> {
    const hosts = [...this.lines.hostsBeside()].flatMap(([host, process]) => (entries.has(process) ? [host] : []));
    return hosts.length > 0 ? new Set([...entries, ...hosts]) : entries;
  }

  /** What is answered where a service is entered, and belongs to it. */
  private answeredFor(id: number, entries: ReadonlySet<number>): Generator<CallLine> {
    return this.belonging(id, this.lines.of(entries, "answers"));
  }

  /** Of some lines at the entry points of a service, those that are its own. */
  private *belonging(id: number, lines: Iterable<CallLine>): Generator<CallLine> {
    const beside = this.lines.hostsBeside();
    for (const line of lines)
      if (this.context.takes(id, beside.get(line.componentId) ?? line.componentId, line.name)) yield line;
  }

  /** The calls by which a service is entered, each with what is judged of them. */
  private *waysIn(
    id: number,
    entries: ReadonlySet<number>,
    atMs: number,
  ): Generator<{ way: WayIn; watches: readonly Watch[] }> {
    const own = this.serviceWatches(id);
    const ruleOf = ({ rule }: Judge) => ({ settings: rule.settings as CallSettings });
    const lines = own.length
      ? [...this.answeredFor(id, entries), ...this.belonging(id, this.lines.newcomersBeside(entries))]
      : [];
    const rules = own.map(({ judge }) => ruleOf(judge));
    for (const way of waysIn(this.past, lines, rules, atMs)) {
      if (way.key === "") {
        yield { way, watches: own };
        continue;
      }
      const key = `w${id} ${way.key}`;
      let watches = this.watches.get(key);
      if (!watches) {
        const judges = own.map((one) => one.judge).filter((judge) => way.takes(ruleOf(judge)));
        watches = judges.map((judge) => ({ judge, state: judge.detector.fresh(), raised: [] }));
        this.watches.set(key, watches);
      }
      yield { way, watches };
    }
  }

  /**
   * What a component fails that is too new to have a past, by what is usual of others by which the service is entered: it
   * may be one of many, and hardly show in the calls of all. That it is slow says nothing: it has not warmed up.
   */
  private judgeNew(id: number, entries: ReadonlySet<number>, atMs: number): AlarmEvent[] {
    const lines = [...this.answeredFor(id, entries)];
    const ofOthers = this.past.byName(lines);
    return lines.flatMap((line) => {
      const usual = ofOthers.get(line.name);
      if (!usual || this.past.learned(line) || !this.context.isWatched(line.componentId)) return [];
      this.past.lend(line, usual);
      return this.judgeLine(line, usual, atMs, FAILING);
    });
  }
}
