import { lowerFirst, metricInfo, symptomOf } from "#core/catalogue/metrics";
import { rankCauses, type Cause, type Evidence, type Shape } from "#core/correlation/cause";
import { mentions } from "#core/changes/judge";
import type { Nature } from "#core/catalogue/metrics";
import { natureOf, type HarmEdge } from "#core/correlation/harm";
import { likeness, type Signature } from "#core/correlation/likeness";
import { reasonsOf, type SaidChange, type SaidEvidence } from "#core/correlation/reasons";
import { isOnlyLack } from "#core/estate/fact-changes";
import { MINUTE_MS } from "#core/time/windows";
import type { AlarmRow, Subject } from "../store/alarms";
import { changesOf, type ChangeRow } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { findingsIn, type FindingRow } from "../store/findings";
import { alarmsOfIncident, confirmedIncidents, type IncidentCause } from "../store/incidents";
import { consumersOf } from "./consumers";
import { answersWorse, badCallsOf } from "./bad-calls";
import { shapesOf } from "./shapes";
import { startsOf } from "./starts";
import { componentNode, componentOfNode, lineName, nodeOfCause, sitesOfLine, type HarmMap } from "./harm-map";
import { lateLinesOf } from "./on-the-way";
import { takersOf } from "./takers";
import { wiredToPorts, type WiredTo } from "./wired";

/** Changes that came so long before the first of it may be behind it. */
const BEFORE_MS = 30 * MINUTE_MS;
/** A change may be told of a little after what it did. */
const AFTER_MS = 3 * MINUTE_MS;
/** Changes that follow from what is measured, seen or worked out, and cause nothing; a start comes of trouble as often. */
const NO_CAUSE: ReadonlySet<string> = new Set(["membership", "level", "relation", "restart", "runbook"]);
/** That a state became another is seen, not done: it comes of the trouble. */
const A_STATE = /\b(state|health|status|reachable|responding|power)\b[^:;]*(:|is now|became)/i;
const MOST_CAUSES = 8;
const MOST_CANDIDATES = 400;
/** Figures are compared of so many of the likeliest, from this probability on. */
const MOST_CLOSE = 6;
const LEAST_CLOSE = 0.02;
/** Named beside the roots from this probability on. */
const LEAST_SAID = 0.003;

type Alarm = Pick<
  AlarmRow,
  | "id"
  | "subject_type"
  | "subject_id"
  | "subject"
  | "metric"
  | "direction"
  | "qualifier"
  | "onset_at"
  | "severity"
  | "worst"
  | "text"
  | "series_id"
  | "raised_at"
>;

const nodeOf = ({ subject_type, subject_id }: Alarm) => `${subject_type}:${subject_id}`;

/** A piece of evidence with the alarms that it is made of. */
type Piece = SaidEvidence & { alarms: number[] };

/** The evidence that alarms are: one piece for each nature of trouble on each subject, by its earliest onset. */
export function evidenceOf(alarms: readonly Alarm[], wiredTo: WiredTo = () => undefined): Piece[] {
  const pieces = new Map<string, Piece>();
  for (const alarm of alarms) {
    const wired = wiredTo(alarm);
    const node = wired ? componentNode(wired.id) : nodeOf(alarm);
    const said = natureOf(alarm.metric);
    const { lags = false } = metricInfo(alarm.metric);
    // A figure of a service is its business.
    const nature = alarm.subject_type === "service" && said === "other" ? "figure" : said;
    // Of calls to something that says itself that it answers well.
    const isOutward = alarm.qualifier.startsWith("to ");
    const key = `${node} ${nature}${isOutward ? " out" : ""}`;
    const known = pieces.get(key);
    if (known) {
      known.alarms.push(alarm.id);
      known.onsetMs = Math.min(known.onsetMs, alarm.onset_at);
      continue;
    }
    pieces.set(key, {
      node,
      nature,
      strength: lags ? 0.3 : alarm.worst === "warning" ? 0.6 : 1,
      onsetMs: alarm.onset_at,
      name: wired?.name ?? alarm.subject,
      ...(wired ? { atPort: `${alarm.qualifier} of ${alarm.subject}` } : {}),
      symptom: isOutward
        ? `its ${lowerFirst(symptomOf(alarm.metric, alarm.direction))}`
        : symptomOf(alarm.metric, alarm.direction),
      alarms: [alarm.id],
      ...(isOutward ? { isOutward } : {}),
      ...(lags ? { lags } : {}),
    });
  }
  return [...pieces.values()];
}

/** Of what it is known what is wrong with it. */
const natures = (evidence: readonly SaidEvidence[]) => new Set(evidence.map((one) => `${one.node} ${one.nature}`));

/** Oddities that began so long before the first alarm belong to it. */
const ODD_BEFORE_MS = 10 * MINUTE_MS;
const MOST_ODDITIES = 500;
/** How sure an oddity of the highest score is, beside an alarm. */
const ODD_STRENGTH = 0.6;

/** Oddities too weak to alarm, on what may be the cause, since shortly before the first alarm. */
function odditiesOf(
  db: Db,
  alarmed: readonly SaidEvidence[],
  candidates: ReadonlySet<string>,
  firstMs: number,
  untilMs: number,
  harm: HarmMap,
): Piece[] {
  const known = natures(alarmed);
  const pieces: Piece[] = [];
  const take = (
    odd: FindingRow,
    node: string,
    nature: Nature,
    words: Pick<SaidEvidence, "name" | "symptom" | "saidBy">,
  ) => {
    const key = `${node} ${nature}`;
    if (nature === "other" || known.has(key) || !candidates.has(node)) return;
    known.add(key);
    const strength = ODD_STRENGTH * Math.min(1, odd.score / 100);
    pieces.push({ node, nature, strength, onsetMs: odd.onset_at, isWeak: true, alarms: [], ...words });
  };
  for (const odd of findingsIn(db, firstMs - ODD_BEFORE_MS, untilMs, MOST_ODDITIES)) {
    if (odd.onset_at < firstMs - ODD_BEFORE_MS || odd.found_at > untilMs) continue;
    const node = `${odd.subject_type}:${odd.subject_id}`;
    const nature = natureOf(odd.metric);
    take(odd, node, nature, { name: odd.subject, symptom: symptomOf(odd.metric, odd.direction) });
    if (nature !== "log") continue;
    for (const { node: callee, name } of namedIn(db, odd.text, harm.graph.to(node)))
      take(odd, callee, "failing", { name, symptom: "errors name it", saidBy: odd.subject });
  }
  return pieces;
}

/**
 * Whom of those that something calls a text names: by its program's name and, where the text has an address or a host of
 * one of them, only those of that.
 */
function namedIn(db: Db, text: string, edges: readonly HarmEdge[]): { node: string; name: string }[] {
  const named = edges.flatMap(({ from, way }) => {
    if (way !== "callee") return [];
    const component = componentById(db, Number(from.slice(from.indexOf(":") + 1)));
    const label = component?.label ?? "";
    if (!component || label === "" || !mentions(text, label)) return [];
    const host = component.host_id === null ? undefined : componentById(db, component.host_id);
    const isPlaced = [host?.address, host?.name].some((place) => place && mentions(text, place));
    return [{ node: from, name: component.name, isPlaced }];
  });
  return named.some((one) => one.isPlaced) ? named.filter((one) => one.isPlaced) : named;
}

/** What alarms on logs say of those that their senders call: errors that name one are evidence on that one. */
function blamedByAlarms(db: Db, alarms: readonly Alarm[], harm: HarmMap): Piece[] {
  return alarms.flatMap((alarm) =>
    natureOf(alarm.metric) === "log"
      ? namedIn(db, alarm.text, harm.graph.to(nodeOf(alarm))).map(({ node, name }): Piece => ({
          node,
          nature: "failing",
          strength: ODD_STRENGTH,
          onsetMs: alarm.onset_at,
          isWeak: true,
          name,
          symptom: "errors name it",
          saidBy: alarm.subject,
          alarms: [],
        }))
      : [],
  );
}

/** What traces, logs and queues tell beside some alarms. */
const besides = (db: Db, alarms: readonly Alarm[], harm: HarmMap, untilMs: number): Piece[] => [
  ...blamedByAlarms(db, alarms, harm),
  ...badCallsOf(db, alarms, untilMs),
  ...takersOf(db, alarms, untilMs),
  // Between places without a network of their own there is no line.
  ...lateLinesOf(db, alarms, untilMs).filter((one) => harm.graph.from(one.node).length > 0),
];

/** Adds what nothing of the kind is known of yet. */
function addTo(evidence: Piece[], more: readonly Piece[]): void {
  const known = natures(evidence);
  for (const one of more) {
    const key = `${one.node} ${one.nature}`;
    if (!known.has(key)) evidence.push(one);
    known.add(key);
  }
}

/** What is taken for the cause of some alarms, likeliest first, with reasons in words. */
export function causesOf(
  db: Db,
  alarms: readonly Alarm[],
  harm: HarmMap,
  nameOf: (subject: Subject) => string,
  untilMs: number,
): IncidentCause[] {
  const evidence = evidenceOf(alarms, wiredToPorts(db, untilMs));
  addTo(evidence, besides(db, alarms, harm, untilMs));
  return ranked(db, evidence, alarms, harm, nameOf, untilMs, 3);
}

/** Somebody's complaint, and what was told round it. */
export interface Complaint {
  /** Node of what is complained about, and its name. */
  complaint: string;
  complaintName: string;
  atMs: number;
  fromMs: number;
  toMs: number;
  alarms: readonly Alarm[];
  harm: HarmMap;
  nameOf: (subject: Subject) => string;
}

/** What may be behind a complaint: by what was unusual round it, though nothing alarmed. */
export function causesAround(db: Db, given: Complaint): IncidentCause[] {
  const felt = {
    node: given.complaint,
    nature: "slow" as const,
    strength: 1,
    onsetMs: given.atMs,
    name: given.complaintName,
    symptom: "Somebody complains",
    alarms: [],
  };
  const told = evidenceOf(given.alarms, wiredToPorts(db, given.toMs)).filter((one) => one.node !== given.complaint);
  const evidence = [felt, ...told];
  const asked = [...given.alarms, ...supposed(db, given)];
  addTo(
    evidence,
    besides(db, asked, given.harm, given.toMs).filter((one) => one.node !== given.complaint),
  );
  return ranked(db, evidence, given.alarms, given.harm, given.nameOf, given.toMs, 5, true).filter(
    // What is complained about is no cause of itself.
    (one) => nodeOfCause(one) !== given.complaint,
  );
}

/** People complain of what lasts for a while already. */
const FELT_MS = 10 * MINUTE_MS;
/** Of a service with many entry points so many are looked at. */
const MOST_ENTRIES = 16;

/** What would be told of those who answer for what is complained about, if it were: then their calls are looked through. */
function supposed(db: Db, { complaint, atMs, toMs, harm, nameOf }: Complaint): Alarm[] {
  const fromMs = atMs - FELT_MS;
  const entries = harm.graph.to(complaint).flatMap(({ from, way }) => (way === "entry" ? [from] : []));
  const ids = [complaint, ...entries.slice(0, MOST_ENTRIES)].flatMap((node) => componentOfNode(node) ?? []);
  const isWorse = (id: number, metric: string) => answersWorse(db, id, metric === "calls.slow", fromMs, toMs);
  return ids.flatMap((id) =>
    ["calls.slow", "calls.failing"]
      .filter((metric) => isWorse(id, metric))
      .map((metric) => ({
        id: 0,
        subject_type: "component" as const,
        subject_id: id,
        subject: nameOf({ type: "component", id }),
        metric,
        qualifier: "",
        direction: "above" as const,
        severity: "minor" as const,
        worst: "minor" as const,
        text: "",
        series_id: null,
        onset_at: fromMs,
        raised_at: fromMs,
      })),
  );
}

/** When it began, by what says so; by what lags behind only where there is nothing else. */
function firstOf(evidence: readonly SaidEvidence[]): number {
  const dated = evidence.filter((one) => !one.lags);
  return Math.min(...(dated.length ? dated : evidence).map((one) => one.onsetMs));
}

/**
 * @param needsGround where nothing but one thing is told of and nothing was unusual, only a change speaks for a cause: all
 *   else would be named for its place alone
 */
function ranked(
  db: Db,
  evidence: Piece[],
  alarms: readonly Alarm[],
  harm: HarmMap,
  nameOf: (subject: Subject) => string,
  untilMs: number,
  steps: number,
  needsGround = false,
): IncidentCause[] {
  if (evidence.length === 0) return [];
  const first = firstOf(evidence);
  // What lags behind, as budgets do, says nothing of when it began.
  for (const one of evidence) if (one.lags) one.onsetMs = Math.max(one.onsetMs, first);
  const candidates = harm.graph.upstream(
    evidence.map((one) => one.node),
    steps,
    MOST_CANDIDATES,
  );
  evidence.push(...odditiesOf(db, evidence, new Set(candidates), first, untilMs, harm));
  evidence.push(...startsOf(db, candidates, natures(evidence), first, untilMs));
  const near = new Set(candidates);
  evidence.push(...consumersOf(db, evidence, untilMs).filter((one) => near.has(one.node)));
  const changes = changesBefore(db, candidates, harm, first);
  const past = pastCauses(db, evidence, first);
  const rank = (shapes: ReadonlyMap<string, Shape>) =>
    rankCauses(
      {
        graph: harm.graph,
        evidence: evidence satisfies readonly Evidence[],
        candidates,
        standingOf: (node) => {
          const change = changes(node);
          return {
            weight: harm.weightOf(node),
            isWatched: harm.isWatched(node),
            set: harm.setOf(node),
            past: past.get(node) ?? 0,
            shape: shapes.get(node),
            ...(change ? { change: change.ticket === null ? "unticketed" : "ticketed" } : {}),
          };
        },
      },
      MOST_CAUSES,
    );
  const plain = rank(new Map());
  // Figures are read of the few that may be it only.
  const close = plain.filter((one) => one.probability >= LEAST_CLOSE).slice(0, MOST_CLOSE);
  const shapes = shapesOf(
    db,
    harm.graph,
    close.map((one) => one.node),
    alarms,
    first,
    untilMs,
  );
  const causes = shapes.size > 0 ? rank(shapes) : plain;
  const isBare = needsGround && evidence.length === 1;
  return asOneLine(causes)
    .filter((cause) => !isBare || changes(cause.node) !== undefined)
    .filter((cause) => (cause.isRoot ? cause.explains.length > 0 : cause.probability >= LEAST_SAID))
    .map((cause) => said(cause, evidence, changes(cause.node), first, nameOf));
}

/** A line that is slow and the same that is cut are one to people: as likely as both together. */
function asOneLine(causes: readonly Cause[]): Cause[] {
  const kept = new Map<string, Cause>();
  for (const cause of causes) {
    const key = sitesOfLine(cause.node)?.join("\n") ?? cause.node;
    const known = kept.get(key);
    kept.set(key, known ? { ...known, probability: Math.min(1, known.probability + cause.probability) } : cause);
  }
  return [...kept.values()];
}

const PAST_INCIDENTS = 100;
const LEAST_ALIKE = 0.3;

/** How often each node turned out to be the cause of incidents that looked like this evidence. */
function pastCauses(db: Db, evidence: readonly SaidEvidence[], beforeMs: number): Map<string, number> {
  const counts = new Map<string, number>();
  const confirmed = confirmedIncidents(db, beforeMs, PAST_INCIDENTS);
  if (!confirmed.length) return counts;
  const signature = (keys: Iterable<string>): Signature => ({ exact: new Set(keys), kinds: new Set() });
  const wiredTo = wiredToPorts(db, beforeMs);
  const own = signature(evidence.filter((one) => !one.isWeak).map((one) => `${one.node} ${one.nature}`));
  for (const { id, confirmed: cause } of confirmed) {
    const node = cause && nodeOfCause({ ...cause, serviceId: null });
    if (!node) continue;
    const theirs = signature(evidenceOf(alarmsOfIncident(db, id), wiredTo).map((one) => `${one.node} ${one.nature}`));
    if (likeness(own, theirs) >= LEAST_ALIKE) counts.set(node, (counts.get(node) ?? 0) + 1);
  }
  return counts;
}

function said(
  cause: Cause,
  evidence: readonly Piece[],
  change: ChangeRow | undefined,
  firstMs: number,
  nameOf: (subject: Subject) => string,
): IncidentCause {
  const sites = sitesOfLine(cause.node);
  const component = componentOfNode(cause.node);
  const [type = "", id = ""] = cause.node.split(":");
  const alarmsOf = (indices: readonly number[]) => indices.flatMap((index) => evidence[index]?.alarms ?? []);
  const before: SaidChange | undefined = change && {
    summary: change.summary,
    beforeMs: Math.max(0, firstMs - change.at),
    ticket: change.ticket,
  };
  return {
    componentId: component ?? null,
    serviceId: type === "service" ? Number(id) : null,
    line: sites ?? null,
    name: sites ? lineName(sites) : nameOf({ type: type === "service" ? "service" : "component", id: Number(id) }),
    probability: Number(cause.probability.toFixed(4)),
    isRoot: cause.isRoot,
    explains: alarmsOf(cause.explains),
    unexplained: alarmsOf(cause.unexplained),
    reasons: reasonsOf(cause, evidence, before),
  };
}

/** The last change on a candidate, or on the host of one, just before the first of the evidence. */
function changesBefore(
  db: Db,
  candidates: readonly string[],
  harm: HarmMap,
  firstMs: number,
): (node: string) => ChangeRow | undefined {
  const ids = new Set(candidates.flatMap((node) => harm.placesOf(node)));
  const byComponent = new Map<number, ChangeRow>();
  for (const change of changesOf(db, [...ids], firstMs - BEFORE_MS, firstMs + AFTER_MS, 500))
    if (
      change.component_id !== null &&
      !NO_CAUSE.has(change.kind) &&
      !A_STATE.test(change.summary) &&
      !isOnlyLack(change.summary) &&
      !byComponent.has(change.component_id)
    )
      byComponent.set(change.component_id, change);
  return (node) => {
    for (const id of harm.placesOf(node)) {
      const change = byComponent.get(id);
      if (change) return change;
    }
    return undefined;
  };
}
