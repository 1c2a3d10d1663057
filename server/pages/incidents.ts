import { priorityOf, type ServiceHarm } from "#core/correlation/priority";
import type { Db } from "../store/database";
import { alarmCounts, incidentsIn, type IncidentRow } from "../store/incidents";
import { hurtServices } from "./incident/evidence";

export interface IncidentsQuestion {
  fromMs: number;
  toMs: number;
  state: string;
  /** Words of the title, a cause or a number; all where it is left out. */
  text?: string;
  /** With whom it is; "nobody" for those that nobody took. */
  person?: string;
  service?: number | null;
  order?: "newest" | "oldest" | "priority" | "longest" | "alarms";
}

/** Asked for as the person of incidents that nobody took. */
const NOBODY = "nobody";
const RELIES: ServiceHarm = { isHurt: false, severity: "warning" };

/** Incidents of a span by what is asked of them. */
export function incidentList(db: Db, question: IncidentsQuestion) {
  const { fromMs, toMs, state, text = "", person = "", service = null, order = "newest" } = question;
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (row: IncidentRow) => {
    const said = [`${row.id}`, row.title, row.confirmed?.name ?? row.causes[0]?.name ?? "", row.waiting_for]
      .join(" ")
      .toLowerCase();
    return (
      (state !== "open" || isOpenAt(row, toMs)) &&
      (state !== "resolved" || !isOpenAt(row, toMs)) &&
      words.every((word) => said.includes(word)) &&
      (person === "" || (person === NOBODY ? row.taken_by === null : row.taken_by === person)) &&
      (service === null || row.services.some((one) => one.id === service))
    );
  };
  const rows = incidentsIn(db, fromMs, toMs).filter(fits);
  const counts = alarmCounts(
    db,
    rows.map((row) => row.id),
  );
  const hurt = hurtServices(
    db,
    rows.map((row) => row.id),
  );
  const lines = rows.map((row) => ({
    ...row,
    isOpen: isOpenAt(row, toMs),
    alarmCount: counts.get(row.id)?.all ?? 0,
    shownPriority: row.priority ?? priorityOf(row.services.map(({ id }) => hurt.get(`${row.id} ${id}`) ?? RELIES)),
  }));
  const length = (row: IncidentRow) => (row.resolved_at ?? toMs) - row.opened_at;
  const orders: Record<NonNullable<IncidentsQuestion["order"]>, (a: Line, b: Line) => number> = {
    newest: (a, b) => b.opened_at - a.opened_at,
    oldest: (a, b) => a.opened_at - b.opened_at,
    priority: (a, b) => Number(b.isOpen) - Number(a.isOpen) || a.shownPriority - b.shownPriority,
    longest: (a, b) => length(b) - length(a),
    alarms: (a, b) => b.alarmCount - a.alarmCount,
  };
  type Line = (typeof lines)[number];
  return lines.sort((a, b) => orders[order](a, b) || b.opened_at - a.opened_at || b.id - a.id);
}

const isOpenAt = (row: IncidentRow, atMs: number) => row.resolved_at === null || row.resolved_at > atMs;
