import { REQUEST_METRICS } from "#core/telemetry/request-metrics";
import type { CallsSince } from "#core/detection/call-recovery";
import type { BatchIngest } from "../ingest/batches";
import type { FreshSample, SampleWriter } from "../ingest/sample-writer";
import { listChores } from "../store/chores";
import { listRules, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { endFindingsWithout } from "../store/findings";
import { AlarmBook, type AlarmEvent } from "./alarm-book";
import { CallJudge, type CallContext } from "./call-judge";
import { CallLines } from "./call-lines";
import { JobJudge } from "./job-judge";
import { LogJudge, type LogContext } from "./log-judge";
import { ObjectiveJudge } from "./objective-judge";
import { Ranges } from "./ranges";
import { ChangeJudge } from "./change-judge";
import { Evaluator, type EvaluatorContext } from "./evaluator";
import { Others } from "./others";
import { SilenceJudge, type SilenceContext } from "./silence-judge";
import { StateJudge, type StateContext } from "./state-judge";

/** Everything that judges, over one book of alarms. A new way of reading is a judge here. */
export class Judges {
  private readonly book: AlarmBook;
  private readonly series: Evaluator;
  private readonly calls: CallJudge;
  private readonly logs: LogJudge;
  private readonly objectives: ObjectiveJudge;
  private readonly silences: SilenceJudge;
  private readonly changes: ChangeJudge;
  private readonly jobs: JobJudge;
  private readonly states: StateJudge;
  private readonly ranges: Ranges;
  private readonly others: Others;
  private rulesChanged = true;

  constructor(
    private readonly db: Db,
    private readonly batches: BatchIngest,
    private readonly sampleWriter: SampleWriter,
    private readonly context: Omit<EvaluatorContext, "others"> &
      CallContext &
      Omit<LogContext, "componentOf"> &
      SilenceContext &
      StateContext,
  ) {
    this.ranges = new Ranges(db, sampleWriter, () => context.learning());
    this.book = new AlarmBook(db);
    this.others = new Others(db, sampleWriter);
    this.series = new Evaluator(db, this.book, this.ranges, {
      ...context,
      others: (series, against, atMs) => this.others.of(series, against, atMs),
    });
    const lines = new CallLines(
      db,
      sampleWriter,
      (resourceId) => batches.componentOf(resourceId),
      (resourceId) => batches.kinOf(resourceId),
      () => batches.hostsBeside(),
    );
    this.calls = new CallJudge(db, this.book, lines, context);
    this.logs = new LogJudge(db, this.book, { ...context, componentOf: (id) => batches.componentOf(id) });
    this.objectives = new ObjectiveJudge(db, this.book, context);
    this.silences = new SilenceJudge(db, this.book, sampleWriter, context);
    this.changes = new ChangeJudge(db, this.book, context);
    this.jobs = new JobJudge(db, this.book, sampleWriter, context);
    this.states = new StateJudge(db, this.book, sampleWriter, context);
    this.narrow();
  }

  /** Has only those samples handed over that are judged; others are kept, no more. */
  private narrow(): void {
    const { metrics, judgesFigures } = this.series;
    this.sampleWriter.judgedMetrics = metrics && new Set([...metrics, ...REQUEST_METRICS]);
    this.sampleWriter.judgesFigures = judgesFigures;
  }

  /** Takes changed rules up; what the samples say is judged anew from the last ones kept. */
  loadRules(): void {
    this.series.loadRules();
    this.calls.loadRules();
    this.logs.loadRules();
    this.objectives.loadRules();
    this.silences.loadRules();
    this.changes.loadRules();
    this.jobs.loadRules();
    this.states.loadRules();
    this.rulesChanged = true;
    this.narrow();
  }

  /** Leaves what rules said that are not there any more. */
  private leaveRemoved(atMs: number): AlarmEvent[] {
    if (!this.rulesChanged) return [];
    this.rulesChanged = false;
    const rules = new Set(listRules(this.db).map((rule) => rule.id));
    endFindingsWithout(this.db, rules, atMs);
    const chores = new Set(listChores(this.db).flatMap(({ definition: { name, isOn } }) => (isOn ? name : [])));
    return [
      ...this.book.clearWithout(rules, "Its rule was removed", atMs),
      ...this.book.clearGone("chore.done", chores, "Its chore is not done any more", atMs),
    ];
  }

  /** Takes everything from the store anew, after a tick that could not be written. */
  reload(): void {
    this.book.reload();
    this.ranges.reload();
    this.loadRules();
  }

  /** Judges what came since the last tick; call inside a transaction. */
  evaluate(samples: readonly FreshSample[], atMs: number): AlarmEvent[] {
    return [
      ...this.leaveRemoved(atMs),
      ...this.series.evaluate(samples),
      ...this.calls.evaluate(this.batches.spanWriter, samples, atMs),
      ...(this.context.looksForEvidence(atMs) ? this.byTheClock(atMs) : []),
    ];
  }

  /** What is looked at every so often; combinations last, because they read what the others say. */
  private byTheClock(atMs: number): AlarmEvent[] {
    const judges = [this.logs, this.objectives, this.silences, this.changes, this.jobs, this.states];
    return judges.flatMap((one) => one.evaluate(atMs));
  }

  /** Takes up that the estate changed: who ought to be like whom. */
  estateChanged(): void {
    this.others.forget();
  }

  /** Whether it is measured how a service does: the calls by which it is entered are known and judged. */
  isMeasured(serviceId: number): boolean {
    return this.calls.isMeasured(serviceId);
  }

  /** Where most of the calls that go badly for a component, or for those a service is entered by, go badly. */
  badAt({ type, id }: Subject, metric: string, onsetMs: number, atMs: number): Set<number> {
    const from = type === "service" ? this.context.entries().get(id) : type === "component" ? new Set([id]) : undefined;
    return from ? this.calls.badAt(from, metric, onsetMs, atMs) : new Set();
  }

  /** How the calls that hold an alarm up went since an instant; undefined of other alarms, and where nobody knows yet. */
  callsSince(alarm: Parameters<CallJudge["since"]>[0], fromMs: number, atMs: number): CallsSince | undefined {
    return this.calls.since(alarm, fromMs, atMs);
  }

  /** Clears every alarm of a service that was retired. */
  clearService(id: number, atMs: number): AlarmEvent[] {
    return this.book.clearAll({ type: "service", id }, "The service was retired", atMs);
  }

  /** Clears every alarm of a component that left the estate, or is not watched any more. */
  clearComponent(id: number, text: string, atMs: number): AlarmEvent[] {
    return this.book.clearAll({ type: "component", id }, text, atMs);
  }
}
