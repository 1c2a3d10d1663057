import { priorityOf } from "#core/correlation/priority";
import type { Db } from "../store/database";
import { prepared } from "../store/database";
import { incidentEvents, incidentsIn, type IncidentRow } from "../store/incidents";
import { handOversBefore } from "../store/shifts";
import { ticketsNear } from "../store/tickets";
import { hurtServices } from "./incident/evidence";
import { onCallPage } from "./on-call";

export interface ShiftQuestion {
  fromMs: number;
  toMs: number;
}

const MOST = 200;

/** A shift at a glance: what is open and with whom, what came in, what was handed over and done, alarm load, planned work. */
export function shiftPage(db: Db, { fromMs, toMs }: ShiftQuestion) {
  const rows = incidentsIn(db, fromMs, toMs, MOST);
  const hurt = hurtServices(
    db,
    rows.map((row) => row.id),
  );
  const line = (row: IncidentRow) => ({
    id: row.id,
    title: row.title,
    openedMs: row.opened_at,
    resolvedMs: row.resolved_at,
    takenBy: row.taken_by,
    waitingFor: row.waiting_for,
    severity: row.severity,
    worst: row.worst,
    priority:
      row.priority ??
      priorityOf(
        row.services.map(({ id }) => hurt.get(`${row.id} ${id}`) ?? { isHurt: false, severity: "warning" as const }),
      ),
    cause: row.confirmed?.name ?? row.causes[0]?.name ?? null,
    isConfirmed: row.confirmed !== null,
  });
  const isOpen = (row: IncidentRow) => row.resolved_at === null || row.resolved_at > toMs;
  const acts = rows.flatMap((row) =>
    incidentEvents(db, row.id)
      .filter((event) => event.at >= fromMs && event.at <= toMs && event.by_whom !== "Holotaxis")
      .map((event) => ({ incident: row.id, atMs: event.at, kind: event.kind, text: event.text, by: event.by_whom })),
  );
  const load = prepared<{ raised: number; standing: number }>(
    db,
    `SELECT count(*) FILTER (WHERE raised_at >= :from AND raised_at <= :to) AS raised,
       count(*) FILTER (WHERE raised_at <= :to AND (cleared_at IS NULL OR cleared_at > :to)) AS standing
     FROM alarm WHERE raised_at <= :to AND (cleared_at IS NULL OR cleared_at >= :from)`,
  ).get({ from: fromMs, to: toMs });
  const runs = prepared<{ id: number; runbook: string; state: string; by: string; atMs: number }>(
    db,
    `SELECT r.id, b.name AS runbook, r.state, r.started_by AS by, r.started_at AS atMs
     FROM run r JOIN runbook b ON b.id = r.runbook_id WHERE r.started_at >= ? AND r.started_at <= ? ORDER BY r.started_at`,
  ).all(fromMs, toMs);
  return {
    open: rows
      .filter(isOpen)
      .map(line)
      .sort((a, b) => a.priority - b.priority || a.openedMs - b.openedMs),
    cameIn: rows.filter((row) => row.opened_at >= fromMs).map(line),
    resolved: rows.filter((row) => !isOpen(row) && (row.resolved_at ?? 0) >= fromMs).length,
    acts: acts.sort((a, b) => a.atMs - b.atMs),
    runs,
    load: load ?? { raised: 0, standing: 0 },
    hours: (toMs - fromMs) / 3_600_000,
    handOvers: handOversBefore(db, toMs, MOST_HAND_OVERS),
    comesOn: comesOn(db, toMs),
    planned: ticketsNear(db, toMs, toMs + NEXT_MS, [])
      .filter((one) => one.fromMs !== null && one.toMs !== null && one.toMs - one.fromMs <= 24 * 3_600_000)
      .map(({ ref, title, person, fromMs: begins, toMs: ends }) => ({
        ref,
        title,
        person,
        fromMs: begins,
        toMs: ends,
      })),
  };
}

const NEXT_MS = 12 * 3_600_000;
const MOST_HAND_OVERS = 5;

/** Who is on call now and who comes next, rotation by rotation. */
const comesOn = (db: Db, atMs: number) =>
  onCallPage(db, { fromMs: atMs, toMs: atMs + NEXT_MS, nowMs: atMs }).rotations.map((one) => ({
    rotation: one.name,
    now: one.now?.name ?? null,
    next: one.next?.name ?? null,
    nextMs: one.next?.fromMs ?? null,
    people: [one.now?.person, one.next?.person].flatMap((person) => person ?? []),
  }));
