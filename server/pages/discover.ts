import { parseRanges } from "#core/discovery/ranges";
import type { Db } from "../store/database";
import { findingCounts, listFindings, listSources, listSweeps, sourceById, sweepById } from "../store/sweeps";

/** Sources without their communities: those never leave the engine. */
const open = (source: NonNullable<ReturnType<typeof sourceById>>) => {
  const ranges = parseRanges(source.ranges);
  return {
    id: source.id,
    name: source.name,
    site: source.site,
    ranges: source.ranges,
    ports: source.ports,
    snmpPort: source.snmp_port,
    pollSeconds: source.poll_seconds,
    addresses: ranges.ok ? ranges.count : 0,
  };
};

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

export function sourcePage(db: Db, { id }: { id: number }) {
  const source = sourceById(db, id);
  return source ? open(source) : null;
}
