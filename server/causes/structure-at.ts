import { Structure, type Entrances } from "#core/topology/impact";
import type { Db } from "../store/database";
import { componentsAt, type ComponentRow } from "../store/estate";
import { relationsAt, type RelationRow } from "../store/relations";
import { listServices, membersAt, type ServiceRow } from "../store/services";

/** How an estate is built at an instant. */
export interface BuiltEstate {
  components: ReadonlyMap<number, ComponentRow>;
  relations: readonly RelationRow[];
  structure: Structure;
  services: readonly ServiceRow[];
  entrances: ReadonlyMap<number, Entrances>;
}

/** Who needs what at an instant, and through which programs services are entered. */
export function structureAt(db: Db, atMs: number): BuiltEstate {
  const rows = componentsAt(db, atMs);
  const components = new Map(rows.map((row) => [row.id, row]));
  const relations = relationsAt(db, atMs);
  const structure = new Structure(
    new Map(rows.map(({ id, label, name, kind }) => [id, { id, label: label ?? name, kind }])),
    relations.map(({ id, type, from_id, to_id }) => ({ id, type, from: from_id, to: to_id })),
  );
  const entries = new Map<number, Map<string, number[]>>();
  for (const { service_id, component_id, entry } of membersAt(db, atMs)) {
    const row = entry ? components.get(component_id) : undefined;
    if (!row) continue;
    const sets = entries.get(service_id) ?? new Map<string, number[]>();
    entries.set(service_id, sets);
    const label = row.label ?? row.name;
    sets.set(label, [...(sets.get(label) ?? []), row.id]);
  }
  return {
    components,
    relations,
    structure,
    services: listServices(db),
    entrances: new Map(
      [...entries].map(([id, sets]) => [id, [...sets].map(([label, list]) => ({ label, entries: list }))]),
    ),
  };
}
