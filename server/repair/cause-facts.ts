import { z } from "zod";
import type { CauseFacts, PolicyDefinition } from "#core/repair/policy";
import { kindMatches } from "#core/catalogue/kinds";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { changesOf, type ChangeRow } from "../store/changes";
import { componentById, currentComponents, partsOfHost, type ComponentRow } from "../store/estate";
import { alarmsOfIncident, type IncidentCause, type IncidentRow } from "../store/incidents";
import { readSamples } from "../store/signals";
import { newestFigure } from "./figures";
import { neighbourhood } from "../causes/neighbourhood";
import { CHANGE_MS, LINE } from "../causes/past-facts";
import { silentComponents } from "./place";

import type { RunnerWorld } from "./world";

type World = Pick<RunnerWorld, "db" | "now" | "sampleWriter">;

export interface LookedAt {
  facts: CauseFacts;
  /** What a run is started on. */
  targetOf: (on: PolicyDefinition["on"]) => ComponentRow | undefined;
  /** The words of a policy: what its own alarms are about comes in. */
  wordsFor: (policy: PolicyDefinition) => CauseFacts;
}

/** What policies look at of a cause of an incident; undefined where nothing can be run on it. */
export function causeFacts(
  world: World,
  incident: IncidentRow,
  cause: IncidentCause,
  steady: Pick<CauseFacts, "steadyMs" | "hostSteadyMs">,
  serviceUids: readonly string[],
  /** Only this alarm counts: for policies that go by alarms. */
  onlyAlarm?: number,
): LookedAt | undefined {
  const { db, now } = world;
  const target = cause.line
    ? switchOf(world, cause.line)
    : cause.componentId === null
      ? undefined
      : componentById(db, cause.componentId);
  if (!target || target.valid_to !== null) return undefined;
  const nowMs = now();
  const host = target.host_id === null ? target : (componentById(db, target.host_id) ?? target);
  const near = cause.line ? switchesOf(world, cause.line) : neighbourhood(db, target.id, nowMs);
  const standing = alarmsOfIncident(db, incident.id).filter((one) => one.cleared_at === null);
  const alarms = standing.filter((one) =>
    onlyAlarm === undefined ? one.component_id !== null && near.has(one.component_id) : one.id === onlyAlarm,
  );
  const onHost = (one: IncidentCause) => {
    const row = one.componentId === null ? undefined : componentById(db, one.componentId);
    return row !== undefined && (row.host_id ?? row.id) === host.id;
  };
  const metrics = [...new Set(alarms.map((one) => one.metric))];
  const changes = changesOf(db, [...near], incident.opened_at - CHANGE_MS, nowMs, 50);
  const facts: CauseFacts = {
    kind: cause.line ? LINE : target.kind,
    name: cause.name,
    site: target.site,
    probability: cause.probability,
    hostProbability: Math.min(
      1,
      Math.max(
        cause.probability,
        cause.line ? 0 : incident.causes.filter(onHost).reduce((sum, one) => sum + one.probability, 0),
      ),
    ),
    ...steady,
    alarms: metrics,
    elsewhere: [...new Set(standing.map((one) => one.metric))],
    changes: [...new Set(changes.map((one) => one.kind))],
    services: serviceUids,
    words: {},
  };
  const fixed: Record<string, string> = {
    "cause.name": target.name,
    "cause.host": host.name,
    "cause.site": target.site,
    ...(target.container && target.label ? { "cause.container": target.label } : {}),
    ...settingOf(changes),
    ...changedProcess(db, changes),
    ...(cause.line ? { "cause.other_site": otherSite(target, cause.line) } : {}),
  };
  let known: { process: string | undefined } | undefined;
  /** Worked out once for all policies, and only where one asks for it. */
  const leading = () => (known ??= { process: leadingProcess(world, host, metrics) }).process;
  return {
    facts,
    targetOf: (on) => (on === "host" ? host : target),
    wordsFor: (policy) => {
      const about = alarms.find((one) => policy.alarms.some((pattern) => kindMatches(pattern, one.metric)));
      const asksProcess = Object.values(policy.args).some((text) => text.includes("cause.process"));
      const process = target.process ?? (asksProcess ? leading() : undefined);
      return {
        ...facts,
        words: {
          ...fixed,
          ...(process ? { "cause.process": process } : {}),
          ...(about?.qualifier ? { "cause.instance": about.qualifier } : {}),
          ...(about ? { "cause.subject": about.subject } : {}),
        },
      };
    },
  };
}

/** The process that was changed or deployed last. */
function changedProcess(db: World["db"], changes: readonly ChangeRow[]): Record<string, string> {
  const told = changes.filter((one) => one.kind === "deployment" || one.kind === "change").sort((a, b) => b.at - a.at);
  for (const { component_id } of told) {
    const process = component_id === null ? undefined : componentById(db, component_id)?.process;
    if (process) return { "cause.changed": process };
  }
  return {};
}

/** The setting that was changed last, where who changed it named it. */
function settingOf(changes: readonly ChangeRow[]): Record<string, string> {
  for (const { kind, detail } of [...changes].sort((a, b) => b.at - a.at)) {
    if (kind !== "change" || !detail.startsWith("{")) continue;
    const read = named.safeParse(jsonOf(detail));
    if (read.success) return { "cause.setting": read.data.data.setting };
  }
  return {};
}
const named = z.object({ data: z.object({ setting: z.string().regex(/^[A-Za-z][A-Za-z0-9._-]{0,60}$/) }) });

/** What a sender said beside; undefined where it is no JSON. */
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

const otherSite = (target: ComponentRow, line: [string, string]) =>
  line.find((site) => site !== target.site) ?? line[1];

function switchesOf({ db }: World, line: readonly string[]): Set<number> {
  return new Set(
    currentComponents(db).flatMap((one) => (one.kind === "net.switch" && line.includes(one.site) ? [one.id] : [])),
  );
}

/** A switch at one end of a line that responds. */
function switchOf(world: World, line: [string, string]): ComponentRow | undefined {
  const silent = silentComponents(world.db);
  const found = [...switchesOf(world, line)].flatMap((id) => componentById(world.db, id) ?? []);
  const responding = found.filter((one) => !silent.has(one.id)).sort((a, b) => a.name.localeCompare(b.name));
  return responding.find((one) => one.site === line[0]) ?? responding[0];
}

/** The process of a host that took most more than it did: of its memory where that is in alarm, else of its processors. */
function leadingProcess(world: World, host: ComponentRow, metrics: readonly string[]): string | undefined {
  const { db, now, sampleWriter } = world;
  const metric = metrics.some((one) => one.startsWith("memory")) ? "process.memory" : "process.cpu";
  let best: { process: string; growth: number } | undefined;
  for (const part of partsOfHost(db, host.id, now())) {
    if (part.process === null) continue;
    const value = newestFigure(world, part.id, metric, "");
    const series = sampleWriter.measured(part.id, metric, "");
    if (Number.isNaN(value) || !series) continue;
    const past = [...readSamples(db, series.id, now() - 2 * HOUR_MS, now() - 20 * MINUTE_MS).values];
    past.sort((a, b) => a - b);
    const growth = value - (past[Math.floor(past.length / 2)] ?? 0);
    if (!best || growth > best.growth) best = { process: part.process, growth };
  }
  return best && best.growth > 0 ? best.process : undefined;
}
