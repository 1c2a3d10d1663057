import { nextStart, scheduleInWords, type Schedule } from "#core/time/schedule";
import type { Field } from "#core/forms/field";
import { fieldsOf } from "../forms/fields";
import { USUAL_SWEEP_EVERY } from "../sources/input";
import type { SourceDriver } from "../sources/driver";
import { driverOf, sourceDrivers } from "../sources/registry";
import { credentialsOfSource, listCredentials } from "../store/credentials";
import type { Db } from "../store/database";
import { listMappings } from "../store/platforms";
import { unreviewedCount } from "../store/review";
import { kindOfCredential } from "../vault/kinds";
import {
  endOfSweepBefore,
  failuresByReason,
  findingCounts,
  lastSweepAt,
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
    /** Null where what it is told is no address. */
    addresses: driver.hearsay ? null : places,
    isSwept: driver.discover !== undefined,
    pollSeconds: source.pollSeconds ?? null,
    sweeps: source.sweeps,
  };
}

export function discoverPage(db: Db, { atMs }: { atMs: number }) {
  const sweeps = listSweeps(db, 30, atMs).map((sweep) => ({ ...sweep, found: findingCounts(db, sweep.id) }));
  return {
    sources: listSources(db).map((source) => ({
      ...open(source),
      schedule: scheduleInWords(source.sweeps),
      nextAt: nextStart(source.sweeps, source.id, lastSweepAt(db, source.id) ?? source.createdAt) ?? null,
      last: sweeps.find((sweep) => sweep.source_id === source.id) ?? null,
    })),
    sweeps,
    toReview: unreviewedCount(db),
  };
}

export const FINDINGS_SHOWN = 100;

export function sweepPage(db: Db, { id, outcome, page }: { id: number; outcome: string; page: number }) {
  const sweep = sweepById(db, id);
  if (!sweep) return null;
  return {
    sweep,
    found: findingCounts(db, id),
    /** Whether it reads what it was told. */
    isTold: driverOf(sourceById(db, sweep.source_id)?.kind ?? "range").hearsay !== undefined,
    /** When the sweep before it ended. */
    beforeMs: endOfSweepBefore(db, sweep) ?? null,
    failures: failuresByReason(db, id),
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
  /** Other credentials that it may use, and those that it does, in their order. */
  others: { id: number; name: string; kind: string }[];
  chosen: number[];
  pollSeconds: number | null;
  /** When it is swept by itself; null where it is not swept at all. */
  sweeps: Schedule | null;
}

const formOf = (
  db: Db,
  driver: SourceDriver,
  settings?: object,
  pollSeconds?: number,
  source?: SourceRow,
): SourceForm => ({
  kind: driver.kind,
  label: driver.label,
  about: driver.about,
  fields: fieldsOf(driver.settings, settings as Record<string, unknown>, {
    mappings: listMappings(db).map((one) => one.name),
  }),
  credential: driver.credential ? { label: driver.credential.label, help: driver.credential.help } : null,
  others: listCredentials(db)
    .filter((one) => !one.isOwn && driver.uses?.includes(one.kind))
    .map(({ id, name, kind }) => ({ id, name, kind: kindOfCredential(kind)?.label ?? kind })),
  chosen: source
    ? credentialsOfSource(db, source.id)
        .map((one) => one.id)
        .filter((id) => id !== source.credential_id)
    : [],
  pollSeconds: pollSeconds ?? driver.pollSeconds ?? null,
  sweeps: driver.discover ? (source?.sweeps ?? { every: USUAL_SWEEP_EVERY, quiet: "" }) : null,
});

/** A source with its form, or the forms of all kinds for a new one. */
export function sourcePage(db: Db, { id }: { id: number | null }) {
  if (id === null) return { source: null, forms: sourceDrivers().map((driver) => formOf(db, driver)) };
  const source = sourceById(db, id);
  if (!source) return null;
  return {
    source: open(source),
    forms: [formOf(db, driverOf(source.kind), source.settings as object, source.pollSeconds, source)],
  };
}
