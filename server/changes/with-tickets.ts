import { judgeChange, ticketFinder, type JudgedChange, type Standing } from "#core/changes/judge";
import { isOfPlatform } from "#core/estate/labels";
import { isOnlyLack } from "#core/estate/fact-changes";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { ChangeRow } from "../store/changes";
import { prepared, type Db } from "../store/database";
import { componentsById, hostNames, type ComponentRow } from "../store/estate";
import { listServices, membersAt } from "../store/services";
import { hasTickets, ticketsNear } from "../store/tickets";

export interface ChangeLine extends ChangeRow {
  /** Null where it is not asked for a ticket, or no source tells of tickets. */
  standing: Standing | null;
  ref: string | null;
  reason: string;
}

/** Kinds of changes that ought to have a ticket. What Holotaxis itself concludes needs none. */
const ASKED: ReadonlySet<string> = new Set(["setting", "deployment", "component"]);
/** A sweep sees what was done since the one before; platforms tell almost at once, events say when. */
const LATE_MS = { sweep: 6 * HOUR_MS, platform: 5 * MINUTE_MS, event: 0 } as const;
/** What was there when looking began is no change of the estate. */
const BEGINNING_MS = HOUR_MS;
const NEWCOMER_MS = HOUR_MS;

const lateOf = ({ kind, by_whom }: ChangeRow): number =>
  kind === "deployment" || kind === "change" ? LATE_MS.event : isOfPlatform(by_whom) ? LATE_MS.platform : LATE_MS.sweep;

/** Holds changes against the tickets whose windows are near. */
export function withTickets(db: Db, rows: readonly ChangeRow[], atMs: number): ChangeLine[] {
  const first = rows.at(-1)?.at ?? 0;
  const last = rows[0]?.at ?? 0;
  const isKnown = hasTickets(db);
  const tickets = isKnown
    ? ticketsNear(db, first - LATE_MS.sweep - DAY_MS, last + DAY_MS, new Set(rows.flatMap((row) => row.ticket ?? [])))
    : [];
  const components = new Map(
    componentsById(db, new Set(rows.flatMap((one) => one.component_id ?? []))).map((row) => [row.id, row]),
  );
  const things = namesOf(db, components, atMs);
  const find = ticketFinder(tickets);
  const hosts = isKnown ? hostNames(db) : new Set<string>();
  const began =
    (prepared<{ at: number | null }>(db, "SELECT min(valid_from) AS at FROM component").get()?.at ?? 0) + BEGINNING_MS;
  return rows.map((row) => {
    const isAsked =
      isKnown && isAskedFor(row) && row.at > began && !isEnrichment(row, components) && !isOnlyLack(row.summary);
    if (!isAsked) return { ...row, standing: null, ref: row.ticket, reason: "" };
    const change: JudgedChange = {
      atMs: row.at,
      lateMs: lateOf(row),
      ticket: row.ticket,
      summary: row.summary,
      by: row.by_whom,
      things: things.get(row.component_id as number) ?? [],
    };
    const verdict = judgeChange(change, find(change), hosts);
    return { ...row, standing: verdict.standing, ref: verdict.ref ?? row.ticket, reason: verdict.reason };
  });
}

/** Whether it ought to have a ticket: what others tell of does where it names a setting that somebody changed. */
const isAskedFor = ({ kind, detail }: ChangeRow): boolean =>
  ASKED.has(kind) || (kind === "change" && detail.includes('"setting":"'));

/** Whether more was learned of a newcomer by whoever looks deeper, which is no change of it; and what is of no component. */
function isEnrichment({ component_id, kind, at }: ChangeRow, components: ReadonlyMap<number, ComponentRow>): boolean {
  const component = components.get(component_id ?? 0);
  return !component || (kind === "setting" && at <= component.valid_from + NEWCOMER_MS);
}

/** All names that tickets may call each changed component by: its own, its program, its host, its services. */
function namesOf(db: Db, components: ReadonlyMap<number, ComponentRow>, atMs: number): Map<number, string[]> {
  const hosts = new Map(
    componentsById(db, new Set([...components.values()].flatMap((row) => row.host_id ?? []))).map((row) => [
      row.id,
      row.name,
    ]),
  );
  const services = new Map(listServices(db).map((one) => [one.id, one]));
  const memberOf = new Map<number, string[]>();
  for (const { service_id, component_id } of membersAt(db, atMs)) {
    const service = components.has(component_id) ? services.get(service_id) : undefined;
    if (service) memberOf.set(component_id, [...(memberOf.get(component_id) ?? []), service.name, service.uid]);
  }
  return new Map(
    [...components.values()].map((row) => [
      row.id,
      [
        row.name,
        row.label,
        row.process,
        row.address,
        hosts.get(row.host_id ?? 0),
        ...(memberOf.get(row.id) ?? []),
      ].flatMap((one) => one ?? []),
    ]),
  );
}
