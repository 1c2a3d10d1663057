import type { Standing } from "#core/detection/detector";
import { MINUTE_MS } from "#core/time/windows";
import type { SampleWriter } from "../ingest/sample-writer";
import { listRules, subjectKey, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import type { AlarmBook } from "./alarm-book";
import { unusualIn } from "../store/findings";
import { quietAlarms } from "../store/quiet";
import { SlowJudge, type Asked, type SlowContext, type SlowRule } from "./slow-judge";

const EVERY_MS = 15_000;
/** A figure that did not come for so long is none. */
const STALE_MS = 15 * MINUTE_MS;

export interface StateContext extends SlowContext {
  components(): Iterable<readonly [id: number, { name: string; hostId: number | null }]>;
  serviceIds(): Iterable<readonly [id: number, { name: string }]>;
}

/** Judges by what other rules say and by figures: of one thing, or of what it consists of. */
export class StateJudge extends SlowJudge<"states"> {
  private alarms = new Map<string, Standing["alarms"][number][]>();
  private figures = new Map<string, () => number>();
  private unusual = new Map<string, number>();
  private parts = new Map<number, number[]>();
  private members = new Map<number, number[]>();
  private names = new Map<number, string>();

  constructor(
    db: Db,
    book: AlarmBook,
    private readonly sampleWriter: Pick<SampleWriter, "all" | "last">,
    private readonly known: StateContext,
  ) {
    super(db, book, known, "states", EVERY_MS);
    this.loadRules();
  }

  protected override begin(atMs: number): void {
    const names = new Map(listRules(this.db).map((rule) => [rule.id, rule]));
    const quiet = new Set(quietAlarms(this.db).map((one) => one.id));
    this.alarms = new Map();
    for (const { id, subject, metric, qualifier, ruleId, severity } of this.book.standing()) {
      const rule = names.get(ruleId ?? 0);
      // A combination of combinations could hold itself up, and what is kept quiet is not to be told of another way.
      if (rule?.type === "composite" || quiet.has(id)) continue;
      const key = subjectKey(subject);
      put(this.alarms, key, { rule: rule?.name ?? "", metric, instance: qualifier, severity });
    }
    this.parts = new Map();
    this.members = new Map();
    this.names = new Map();
    for (const [id, { name, hostId }] of this.known.components()) {
      this.names.set(id, name);
      if (hostId !== null) put(this.parts, hostId, id);
      for (const service of this.context.servicesOf(id)) put(this.members, service.id, id);
    }
    this.readFigures(atMs);
    this.unusual = new Map();
    if (!this.rules.some(({ rule }) => (rule.settings as { when: string }).when.includes("unusual("))) return;
    for (const { subject_type, subject_id, metric, score } of unusualIn(this.db, atMs, atMs)) {
      const key = `${subjectKey({ type: subject_type, id: subject_id })} ${metric}`;
      this.unusual.set(key, Math.max(score, this.unusual.get(key) ?? 0));
    }
  }

  /** The newest value of every figure that a rule names; what is polled comes before what is sent. */
  private readFigures(atMs: number): void {
    this.figures = new Map();
    const named = new Set(
      this.rules.flatMap(({ rule }) =>
        [...(rule.settings as { when: string }).when.matchAll(/"([^"]*)"|'([^']*)'/g)].map((one) => one[1] ?? one[2]),
      ),
    );
    if (named.size === 0) return;
    for (const series of this.sampleWriter.all()) {
      if (!named.has(series.metric)) continue;
      const owner = series.serviceId === null ? `component:${series.componentId}` : `service:${series.serviceId}`;
      const key = `${owner} ${series.metric} ${series.instance}`;
      if (this.figures.has(key) && series.resourceId !== null) continue;
      this.figures.set(key, () => {
        const last = this.sampleWriter.last(series);
        return last.atMs >= atMs - STALE_MS ? last.value : Number.NaN;
      });
    }
  }

  protected *asked({ rule }: SlowRule<"states">, atMs: number): Iterable<Asked<"states">> {
    const ask = (subject: Subject, name: string, members: readonly number[]): Asked<"states"> => ({
      subject,
      seriesId: null,
      qualifier: rule.name,
      instance: "",
      unit: "",
      input: {
        atMs,
        own: this.standingOf(subject, name),
        members: members
          .filter((id) => this.context.isWatched(id))
          .map((id) => this.standingOf({ type: "component", id }, this.names.get(id) ?? "")),
      },
    });
    if (rule.scope.subject === "service") {
      for (const [id, { name }] of this.known.serviceIds())
        if (this.coversService(rule, id)) yield ask({ type: "service", id }, name, this.members.get(id) ?? []);
      return;
    }
    for (const [id, name] of this.names)
      if (this.covers(rule, id)) yield ask({ type: "component", id }, name, this.parts.get(id) ?? []);
  }

  private standingOf(subject: Subject, name: string): Standing {
    const key = subjectKey(subject);
    return {
      name,
      kind: subject.type === "component" ? (this.context.kindOf(subject.id) ?? "") : "service",
      alarms: this.alarms.get(key) ?? [],
      figure: (metric, instance) => this.figures.get(`${key} ${metric} ${instance}`)?.() ?? Number.NaN,
      unusual: (metric) => this.unusual.get(`${key} ${metric}`) ?? 0,
    };
  }
}

function put<K, T>(lists: Map<K, T[]>, key: K, one: T): void {
  const list = lists.get(key);
  if (list) list.push(one);
  else lists.set(key, [one]);
}
