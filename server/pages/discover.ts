import type { Field } from "#core/forms/field";
import { fieldsOf } from "../forms/fields";
import type { SourceDriver } from "../sources/driver";
import { driverOf, sourceDrivers } from "../sources/registry";
import type { Db } from "../store/database";
import {
  findingCounts,
  listFindings,
  listSources,
  listSweeps,
  sourceById,
  sweepById,
  type SourceRow,
} from "../store/sources";

/** A source without its credential: that never leaves the engine. */
function open(source: SourceRow) {
  const driver = driverOf(source.kind);
  const { text, places } = driver.covers(source.settings);
  return {
    id: source.id,
    kind: source.kind,
    kindLabel: driver.label,
    name: source.name,
    site: source.site,
    covers: text,
    addresses: places,
    isSwept: driver.discover !== undefined,
    pollSeconds: source.pollSeconds ?? null,
  };
}

export function discoverPage(db: Db, { atMs }: { atMs: number }) {
  const sweeps = listSweeps(db, 30, atMs).map((sweep) => ({ ...sweep, found: findingCounts(db, sweep.id) }));
  return {
    sources: listSources(db).map((source) => ({
      ...open(source),
      last: sweeps.find((sweep) => sweep.source_id === source.id) ?? null,
    })),
    sweeps,
  };
}

export const FINDINGS_SHOWN = 100;

export function sweepPage(db: Db, { id, outcome, page }: { id: number; outcome: string; page: number }) {
  const sweep = sweepById(db, id);
  if (!sweep) return null;
  return {
    sweep,
    found: findingCounts(db, id),
    findings: listFindings(db, id, outcome, FINDINGS_SHOWN, page * FINDINGS_SHOWN),
  };
}

/** What the form of a source shows, by its kind. */
export interface SourceForm {
  kind: string;
  label: string;
  about: string;
  fields: Field[];
  credential: { label: string; help: string } | null;
  pollSeconds: number | null;
  canSweep: boolean;
}

const formOf = (driver: SourceDriver, settings: object | undefined, pollSeconds: number | undefined): SourceForm => ({
  kind: driver.kind,
  label: driver.label,
  about: driver.about,
  fields: fieldsOf(driver.settings, settings as Record<string, unknown>),
  credential: driver.credential ? { label: driver.credential.label, help: driver.credential.help } : null,
  pollSeconds: pollSeconds ?? driver.pollSeconds ?? null,
  canSweep: driver.discover !== undefined,
});

/** A source with its form, or the forms of all kinds for a new one. */
export function sourcePage(db: Db, { id }: { id: number | null }) {
  if (id === null)
    return { source: null, forms: sourceDrivers().map((driver) => formOf(driver, undefined, undefined)) };
  const source = sourceById(db, id);
  if (!source) return null;
  return {
    source: open(source),
    forms: [formOf(driverOf(source.kind), source.settings as object, source.pollSeconds)],
  };
}
