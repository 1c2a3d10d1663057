import type { CompositeSettings } from "#core/detection/composite";
import type { Standing, StateDetector } from "#core/detection/detector";
import type { Replayed } from "#core/detection/replay";
import type { RuleInput } from "#core/detection/rule";
import { lowerBound } from "#core/telemetry/merge";
import { MINUTE_MS } from "#core/time/windows";
import { groupBy } from "#core/units/group";
import { alarmsIn, listRules, subjectKey, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { unusualIn } from "../store/findings";
import { seriesForRules } from "../store/find-series";
import { listServices, membersAt } from "../store/services";
import { readSamples } from "../store/signals";
import { previewOf, wantedOf, type Tried } from "./preview-shape";

const MOST_ALARMS = 20_000;
const MOST_THINGS = 200;
const MOST_LOOKS = 200_000;
const STEP_MS = 5 * MINUTE_MS;
const STALE_MS = 15 * MINUTE_MS;

/** What a combination would have said, by the alarms and figures of the past and by who belongs to what now. */
export function statePreview(db: Db, rule: RuleInput, detector: StateDetector, fromMs: number, toMs: number) {
  const things = thingsOf(db, rule, toMs);
  const tried = things.slice(0, MOST_THINGS);
  const stepMs = Math.max(STEP_MS, Math.ceil(((toMs - fromMs) * tried.length) / MOST_LOOKS));
  const past = pastOf(db, rule.settings as CompositeSettings, fromMs, toMs);
  const results = tried.map(({ subject, name, members }): Tried => {
    const state = detector.fresh();
    const verdicts: Replayed[] = [];
    for (let atMs = fromMs; atMs <= toMs; atMs += stepMs) {
      const input = {
        atMs,
        own: past(subject, name, atMs),
        members: members.map((one) => past({ type: "component", id: one.id }, one.name, atMs)),
      };
      const verdict = detector.evaluate(rule.settings, state, input, { instance: "", unit: "" });
      if (verdict) verdicts.push({ ...verdict, atMs });
    }
    return { name, instance: "", verdicts };
  });
  return previewOf(db, detector.describe(rule.settings, ""), results, {
    fromMs,
    toMs,
    all: things.length,
    of: rule.scope.subject === "service" ? "services" : "components",
  });
}

interface Thing {
  subject: Subject;
  name: string;
  members: { id: number; name: string }[];
}

function thingsOf(db: Db, rule: RuleInput, atMs: number): Thing[] {
  const rows = currentComponents(db);
  const { scope } = rule;
  if (scope.subject === "component") {
    const wanted = wantedOf(db, rule, atMs);
    const parts = groupBy(rows, (row) => row.host_id ?? 0);
    return rows.flatMap((row) =>
      wanted(row.id, row.kind)
        ? [{ subject: { type: "component", id: row.id }, name: row.name, members: parts.get(row.id) ?? [] }]
        : [],
    );
  }
  const byId = new Map(rows.map((row) => [row.id, row]));
  const members = groupBy(membersAt(db, atMs), (row) => row.service_id);
  return listServices(db).flatMap(({ id, uid, name }): Thing[] =>
    scope.service === "*" || scope.service === uid
      ? [
          {
            subject: { type: "service", id },
            name,
            members: (members.get(id) ?? []).flatMap((one) => byId.get(one.component_id) ?? []),
          },
        ]
      : [],
  );
}

/** How anything stood at an instant of a window. */
function pastOf(db: Db, { when }: CompositeSettings, fromMs: number, toMs: number) {
  const rules = new Map(listRules(db).map((rule) => [rule.id, rule]));
  const alarms = groupBy(
    alarmsIn(db, fromMs, toMs, MOST_ALARMS).filter((one) => rules.get(one.rule_id ?? 0)?.type !== "composite"),
    (one) => subjectKey({ type: one.subject_type, id: one.subject_id }),
  );
  const unusual = when.includes("unusual(")
    ? groupBy(
        unusualIn(db, fromMs, toMs),
        (one) => `${subjectKey({ type: one.subject_type, id: one.subject_id })} ${one.metric}`,
      )
    : undefined;
  const named = new Set([...when.matchAll(/"([^"]*)"|'([^']*)'/g)].map((one) => one[1] ?? one[2] ?? ""));
  const series = new Map(
    [...named].flatMap((metric) =>
      seriesForRules(db, metric).map((one) => [
        `${one.service_id === null ? `component:${one.component_id}` : `service:${one.service_id}`} ${metric} ${one.instance}`,
        one.id,
      ]),
    ),
  );
  const read = new Map<number, ReturnType<typeof readSamples>>();
  const valueAt = (id: number, atMs: number): number => {
    const samples = read.get(id) ?? readSamples(db, id, fromMs - STALE_MS, toMs);
    read.set(id, samples);
    const place = lowerBound(samples.times, atMs + 1) - 1;
    return place >= 0 && (samples.times[place] as number) >= atMs - STALE_MS
      ? (samples.values[place] as number)
      : Number.NaN;
  };
  return (subject: Subject, name: string, atMs: number): Standing => {
    const key = subjectKey(subject);
    return {
      name,
      kind: subject.type,
      alarms: (alarms.get(key) ?? []).flatMap((one) =>
        one.raised_at <= atMs && (one.cleared_at === null || one.cleared_at > atMs)
          ? [
              {
                rule: rules.get(one.rule_id ?? 0)?.name ?? "",
                metric: one.metric,
                instance: one.qualifier,
                severity: one.worst,
              },
            ]
          : [],
      ),
      figure: (metric, instance) => {
        const id = series.get(`${key} ${metric} ${instance}`);
        return id === undefined ? Number.NaN : valueAt(id, atMs);
      },
      unusual: (metric) =>
        (unusual?.get(`${key} ${metric}`) ?? []).reduce(
          (most, one) =>
            one.foundMs <= atMs && (one.endedMs === null || one.endedMs > atMs) ? Math.max(most, one.score) : most,
          0,
        ),
    };
  };
}
