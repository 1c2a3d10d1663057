import { fitsPattern } from "#core/estate/pattern";
import { WaysIn, type Entrance } from "#core/topology/ways-in";
import type { Db } from "./database";
import { componentsById } from "./estate";
import { listServices, membersAt, type EntryPattern } from "./services";

/** A part of a host by the names that entry points go by. */
export interface EntryNames {
  host: string;
  label: string;
}

export const fitsEntry = (pattern: EntryPattern, { host, label }: EntryNames): boolean =>
  fitsPattern(pattern.host, host) && fitsPattern(pattern.process, label);

/** Operations that are asked at a component for a service, by its patterns; undefined where it is entered there as a whole. */
export function operationsOfEntry(patterns: readonly EntryPattern[], names: EntryNames): string[] | undefined {
  const fitting = patterns.filter((one) => fitsEntry(one, names));
  if (fitting.length === 0 || fitting.some((one) => !one.operations?.length)) return undefined;
  return fitting.flatMap((one) => one.operations ?? []);
}

/** Where services are entered at an instant; none where none of them claims operations by name. */
export function entrancesAt(db: Db, atMs: number): Entrance[] {
  const limited = new Map(
    listServices(db).flatMap((one) =>
      one.entries.some(({ operations }) => operations?.length) ? [[one.id, one] as const] : [],
    ),
  );
  if (limited.size === 0) return [];
  const entries = membersAt(db, atMs).filter((row) => row.entry === 1);
  const asked = entries.flatMap((row) => (limited.has(row.service_id) ? row.component_id : []));
  const rows = new Map(componentsById(db, asked).map((row) => [row.id, row]));
  const hosts = new Map(
    componentsById(
      db,
      [...rows.values()].flatMap((row) => row.host_id ?? []),
    ).map((row) => [row.id, row.name]),
  );
  return entries.map(({ service_id: service, component_id: component }) => {
    const row = limited.has(service) ? rows.get(component) : undefined;
    const host = row?.host_id == null ? undefined : hosts.get(row.host_id);
    const operations =
      row?.label == null || host === undefined
        ? undefined
        : operationsOfEntry(limited.get(service)?.entries ?? [], { host, label: row.label });
    return { service, component, operations };
  });
}

export const waysInAt = (db: Db, atMs: number): WaysIn => new WaysIn(entrancesAt(db, atMs));

/** Where one service is entered, and what is asked there for it. */
export interface Entered {
  components: Iterable<number>;
  takes(componentId: number, operation: string): boolean;
}

export const enteredAt = (ways: WaysIn, service: number, components: Iterable<number>): Entered => ({
  components,
  takes: (componentId, operation) => ways.takes(service, componentId, operation),
});
