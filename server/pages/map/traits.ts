import { SEVERITIES, type Severity } from "#core/alarms/severity";
import { kindInfo, STRATA } from "#core/catalogue/kinds";
import { subnetOf } from "#core/estate/subnet";
import type { Trait } from "#core/topology/arrange";
import type { Attribute } from "#core/topology/attributes";
import type { Db } from "../../store/database";
import type { ComponentRow } from "../../store/estate";
import { labelsOfAll } from "../../store/labels";
import { membersAt, type ServiceRow } from "../../store/services";
import { listSources } from "../../store/sources";

const plain = (value: string): Trait => ({ value, label: value });
const SEVERAL = { value: "*", rank: Number.MAX_SAFE_INTEGER - 1 } as const;

/** Reads what components are arranged by, only as far as it is asked for. */
export function traitReader(
  db: Db,
  attributes: ReadonlySet<Attribute>,
  services: readonly ServiceRow[],
  hosts: ReadonlyMap<number, ComponentRow>,
  atMs: number,
): (row: ComponentRow, severity: Severity) => Map<string, Trait> {
  const labels = new Map<string, string[]>();
  if ((["owner", "environment", "tier", "tag"] as const).some((name) => attributes.has(name)))
    for (const { component_id, name, value } of labelsOfAll(db, atMs)) {
      const key = `${component_id} ${name}`;
      labels.set(key, [...(labels.get(key) ?? []), value]);
    }
  const servicesOf = new Map<number, ServiceRow[]>();
  if (attributes.has("service")) {
    const byId = new Map(services.map((service) => [service.id, service]));
    for (const { service_id, component_id } of membersAt(db, atMs)) {
      const service = byId.get(service_id);
      if (service) servicesOf.set(component_id, [...(servicesOf.get(component_id) ?? []), service]);
    }
  }
  const sources = new Map(
    attributes.has("source") ? listSources(db).map((source) => [source.id, source.name] as const) : [],
  );
  const labelOf = (row: ComponentRow, name: string): Trait | undefined => {
    const values = labels.get(`${row.id} ${name}`) ?? labels.get(`${row.host_id} ${name}`);
    return values && plain(values.join(", "));
  };
  const readers: Readonly<Record<Attribute, (row: ComponentRow, severity: Severity) => Trait | undefined>> = {
    layer: (row) => layerTrait(kindInfo(row.kind).stratum),
    kind: (row) => ({ value: row.kind, label: kindInfo(row.kind).plural }),
    site: (row) => (row.site ? plain(row.site) : undefined),
    service: (row) => {
      const [first, ...others] = servicesOf.get(row.id) ?? [];
      return (
        first && (others.length ? { ...SEVERAL, label: "Several services" } : { value: first.uid, label: first.name })
      );
    },
    owner: (row) => labelOf(row, "owner"),
    environment: (row) => labelOf(row, "environment"),
    tier: (row) => labelOf(row, "tier"),
    tag: (row) => labelOf(row, "tag"),
    subnet: (row) => {
      const network = subnetOf(row.address ?? hosts.get(row.host_id ?? 0)?.address ?? "");
      return network === undefined ? undefined : plain(network);
    },
    source: (row) => {
      const name = sources.get(row.source_id ?? hosts.get(row.host_id ?? 0)?.source_id ?? 0);
      return name === undefined ? undefined : plain(name);
    },
    health: (_row, severity) => healthTrait(severity),
  };
  return (row, severity) => {
    const traits = new Map<string, Trait>();
    for (const attribute of attributes) {
      const trait = readers[attribute](row, severity);
      if (trait) traits.set(attribute, trait);
    }
    return traits;
  };
}

export function layerTrait(stratum: string): Trait {
  const rank = STRATA.findIndex(({ id }) => id === stratum);
  return { value: stratum, label: STRATA[rank]?.label ?? stratum, rank };
}

export const healthTrait = (severity: Severity): Trait => ({
  value: severity,
  label: severity === "cleared" ? "Healthy" : severity[0]?.toUpperCase() + severity.slice(1),
  rank: SEVERITIES.indexOf(severity),
});
