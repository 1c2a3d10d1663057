import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { causesAround } from "../causes/causes";
import { componentNode, harmMapAt, serviceNode } from "../causes/harm-map";
import { activeAlarms } from "../store/alarms";
import { prepared, type Db } from "../store/database";
import { componentById, componentsById } from "../store/estate";
import { findingsIn } from "../store/findings";
import { incidentsAt } from "../store/incidents";
import { listServices, membersOf } from "../store/services";
import { changesBefore, loudPatterns } from "./incident/evidence";

export interface TriageQuestion {
  /** What somebody complains about: a service or a component. */
  service: number | null;
  component: number | null;
  /** When it was felt. */
  atMs: number;
}

/** How long before and after the moment of a complaint is looked at. */
const BEFORE_MS = 30 * MINUTE_MS;
const AFTER_MS = 10 * MINUTE_MS;
const MOST_ODD = 40;

/** What was unusual round a complaint, ranked as the cause of it, though nothing alarmed. */
export function triagePage(db: Db, { service, component, atMs }: TriageQuestion) {
  const services = listServices(db).map(({ id, name }) => ({ id, name }));
  const own = component === null ? undefined : componentById(db, component);
  const subject =
    service !== null
      ? { node: serviceNode(service), name: services.find((one) => one.id === service)?.name }
      : own
        ? { node: componentNode(own.id), name: own.name }
        : undefined;
  if (!subject?.name) return { services, subject: null };
  const [fromMs, toMs] = [atMs - BEFORE_MS, atMs + AFTER_MS];
  const harm = harmMapAt(db, atMs);
  const near = new Set(harm.graph.upstream([subject.node], STEPS, MOST_NEAR));
  const names = new Map<string, string>(services.map((one) => [serviceNode(one.id), one.name]));
  const nearIds = [...near].flatMap((node) => (node.startsWith("component:") ? [Number(node.slice(10))] : []));
  for (const row of componentsById(db, new Set(nearIds))) names.set(componentNode(row.id), row.name);
  const odd = findingsIn(db, fromMs, toMs, 500).filter((one) => near.has(`${one.subject_type}:${one.subject_id}`));
  const alarms = alarmsIn(db, fromMs, toMs).filter((one) => near.has(`${one.subject_type}:${one.subject_id}`));
  const causes = causesAround(db, {
    complaint: subject.node,
    complaintName: subject.name,
    atMs,
    fromMs,
    toMs,
    alarms,
    harm,
    nameOf: ({ type, id }) => names.get(`${type}:${id}`) ?? `${type} ${id}`,
  });
  const parts = [
    ...new Set([
      ...causes.slice(0, 4).flatMap((one) => one.componentId ?? []),
      ...(own ? [own.id] : membersOf(db, service ?? 0, atMs).map((one) => one.component_id)),
    ]),
  ];
  return {
    services,
    subject: { name: subject.name, serviceId: service, componentId: own?.id ?? null },
    causes,
    alarms: alarms.slice(0, MOST_ODD),
    odd: odd.slice(0, MOST_ODD).map((one) => ({
      id: one.id,
      componentId: one.subject_type === "component" ? one.subject_id : null,
      name: one.subject,
      text: one.text,
      score: one.score,
      onsetMs: one.onset_at,
    })),
    logs: loudPatterns(db, parts, fromMs, toMs),
    changes: changesBefore(db, parts, atMs, toMs),
    incidents: incidentsAt(db, atMs)
      .filter((row) => (service === null ? true : row.services.some((one) => one.id === service)))
      .slice(0, 5)
      .map((row) => ({ id: row.id, title: row.title })),
    fromMs,
    toMs,
  };
}

const STEPS = 5;
const MOST_NEAR = 2000;

/** Alarms that stood at some time of a span. */
function alarmsIn(db: Db, fromMs: number, toMs: number): ReturnType<typeof activeAlarms> {
  return prepared<ReturnType<typeof activeAlarms>[number]>(
    db,
    `SELECT a.*, CASE a.subject_type WHEN 'component' THEN a.subject_id END AS component_id,
       coalesce(c.name, s.name, '') AS subject, coalesce(c.kind, a.subject_type) AS kind
     FROM alarm a LEFT JOIN component c ON a.subject_type = 'component' AND c.id = a.subject_id
     LEFT JOIN service s ON a.subject_type = 'service' AND s.id = a.subject_id
     WHERE a.onset_at >= ? AND a.onset_at <= ? AND (a.cleared_at IS NULL OR a.cleared_at >= ?)
     ORDER BY a.onset_at LIMIT 500`,
  ).all(fromMs - DAY_MS, toMs, fromMs);
}
