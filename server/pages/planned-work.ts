import {
  AHEAD_MS,
  endedBefore,
  LONGEST_TICKET_MS,
  nextWindow,
  plannedWorkSchema,
  repeatsInWords,
  workWindows,
  type PlannedWork,
  type WorkScope,
} from "#core/changes/planned-work";
import { kindInfo } from "#core/catalogue/kinds";
import { DAY_MS } from "#core/time/windows";
import { coveredBy } from "../changes/work-scope";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { estateFacets } from "../store/estate-list";
import { filterOfCollection, labelChoices } from "../store/labels";
import { listPlannedWork, plannedWorkById } from "../store/planned-work";
import { quietBecause } from "../store/quiet";
import { listServices } from "../store/services";
import { ticketsNear } from "../store/tickets";

/** Work of tickets is listed so far ahead. */
const NEXT_MS = 7 * DAY_MS;
const MOST_TICKETS = 50;
const MOST_NAMES = 8;
const MOST_WINDOWS = 3;

/** "Manifest Exchange and its members", "host.linux at Tarn Depot" */
function scopeInWords(scope: WorkScope, services: ReadonlyMap<string, string>): string {
  if (scope.of === "service") return `${services.get(scope.uid) ?? "a service that is gone"} and its members`;
  const { search, kind, site, label, fact } = filterOfCollection(scope.filter);
  const what = kind ? (kind.endsWith(".*") ? `${kind.slice(0, -2)} of any kind` : kindInfo(kind).plural) : "everything";
  return [
    what,
    site ? `at ${site}` : "",
    label ? `with ${label.replace(":", " ")}` : "",
    fact ? `with ${fact.replace(":", " ")}` : "",
    search ? `named like “${search}”` : "",
  ]
    .filter(Boolean)
    .join(" ");
}

/** What people planned by hand, with what each covers and keeps quiet now; and what tickets tell of. */
export function plannedWorkPage(db: Db, { atMs }: { atMs: number }) {
  const services = new Map(listServices(db).map((one) => [one.uid, one.name]));
  const rows = listPlannedWork(db).map(({ id, work, by, endedMs }) => {
    const first = nextWindow(work, atMs, AHEAD_MS);
    const current = first && endedBefore(first, endedMs);
    // What was ended before its time comes again the next time.
    const window = current && current.toMs <= atMs ? nextWindow(work, first.toMs, AHEAD_MS) : current;
    const isUnderWay = window !== undefined && window.fromMs <= atMs;
    return {
      id,
      title: work.title,
      by,
      zone: work.zone,
      scope: scopeInWords(work.scope, services),
      covers: coveredBy(db, work.scope, atMs).components.size,
      repeats: repeatsInWords(work),
      window: window ?? null,
      isUnderWay,
      quiet: isUnderWay ? quietBecause(db, `planned work of ${by}: ${work.title}`) : 0,
    };
  });
  const order = (one: (typeof rows)[number]) => one.window?.fromMs ?? Number.POSITIVE_INFINITY;
  return {
    rows: rows.sort((a, b) => order(a) - order(b)),
    tickets: ticketsNear(db, atMs, atMs + NEXT_MS, [])
      .flatMap(({ ref, title, person, fromMs, toMs, things }) =>
        fromMs !== null && toMs !== null
          ? [{ ref, title, person, fromMs, toMs, things: things.length, isQuiet: toMs - fromMs <= LONGEST_TICKET_MS }]
          : [],
      )
      .sort((a, b) => a.fromMs - b.fromMs)
      .slice(0, MOST_TICKETS),
  };
}

/** What the form of planned work needs; null where there is none of that id. */
export function plannedWorkFormPage(db: Db, { id, atMs }: { id: number | null; atMs: number }) {
  const row = id === null ? undefined : plannedWorkById(db, id);
  if (id !== null && !row) return null;
  return {
    row: row ?? null,
    services: listServices(db).map(({ uid, name }) => ({ uid, name })),
    labels: labelChoices(db).map(({ name, value }) => `${name}:${value}`),
    ...estateFacets(db, atMs),
  };
}

/** What work would cover and when, before it is saved. */
export function plannedWorkTried(db: Db, { work, atMs }: { work: unknown; atMs: number }) {
  const read = plannedWorkSchema.safeParse(work);
  if (!read.success) {
    const fields: Record<string, string> = {};
    for (const issue of read.error.issues) fields[String(issue.path[0] ?? "form")] ??= issue.message;
    return { ok: false as const, problem: Object.values(fields)[0] ?? "Something is not right.", fields };
  }
  const planned: PlannedWork = read.data;
  const ids = [...coveredBy(db, planned.scope, atMs).components];
  return {
    ok: true as const,
    covers: ids.length,
    names: componentsById(db, ids.slice(0, MOST_NAMES)).map((one) => one.name),
    windows: workWindows(planned, atMs, atMs + AHEAD_MS).slice(0, MOST_WINDOWS),
  };
}
