import { DAY_MS } from "#core/time/windows";
import { byName } from "#core/units/order";
import type { Db } from "../store/database";
import { componentsAt, type ComponentRow } from "../store/estate";
import { factRowsAt } from "../store/facts";

const MOST_PLACES = 500;

const placeOf = (components: ReadonlyMap<number, ComponentRow>, id: number) => {
  const one = components.get(id);
  const host = one?.host_id == null ? undefined : components.get(one.host_id);
  return one && { id, name: one.name, kind: one.kind, site: one.site, host: host?.name ?? "" };
};

/** Which products run in which versions, where, and since when; of one product every place. */
export function softwarePage(db: Db, { atMs, product }: { atMs: number; product: string | null }) {
  const components = new Map(componentsAt(db, atMs).map((one) => [one.id, one]));
  const versions = new Map(factRowsAt(db, "version", atMs).map((one) => [one.component_id, one]));
  const groups = new Map<
    string,
    { product: string; version: string; count: number; hosts: Set<number>; sinceMs: number }
  >();
  const places: (NonNullable<ReturnType<typeof placeOf>> & { version: string; sinceMs: number })[] = [];
  for (const one of factRowsAt(db, "product", atMs)) {
    const place = placeOf(components, one.component_id);
    if (!place) continue;
    const version = versions.get(one.component_id);
    const sinceMs = version?.valid_from ?? one.valid_from;
    const key = `${one.value} ${version?.value ?? ""}`;
    const group = groups.get(key) ?? {
      product: one.value,
      version: version?.value ?? "",
      count: 0,
      hosts: new Set<number>(),
      sinceMs,
    };
    group.count++;
    group.hosts.add(components.get(one.component_id)?.host_id ?? 0);
    group.sinceMs = Math.min(group.sinceMs, sinceMs);
    groups.set(key, group);
    if (one.value === product && places.length < MOST_PLACES)
      places.push({ ...place, version: version?.value ?? "", sinceMs });
  }
  return {
    versions: [...groups.values()]
      .map(({ hosts, ...group }) => ({ ...group, hosts: hosts.size }))
      .sort((a, b) => a.product.localeCompare(b.product) || byName(a.version, b.version)),
    places: places.sort((a, b) => byName(a.version, b.version) || a.name.localeCompare(b.name)),
  };
}

/** Certificates that listeners present, the one that ends first in front. */
export function certificatesPage(db: Db, { atMs }: { atMs: number }) {
  const components = new Map(componentsAt(db, atMs).map((one) => [one.id, one]));
  const valueOf = (name: string) => new Map(factRowsAt(db, name, atMs).map((one) => [one.component_id, one.value]));
  const [names, issuers, protocols] = [
    valueOf("certificate for"),
    valueOf("certificate issuer"),
    valueOf("TLS protocol"),
  ];
  return factRowsAt(db, "certificate expires", atMs)
    .flatMap((one) => {
      const place = placeOf(components, one.component_id);
      const expiresMs = Date.parse(one.value);
      if (!place || Number.isNaN(expiresMs)) return [];
      return [
        {
          ...place,
          expires: one.value,
          daysLeft: Math.floor((expiresMs - atMs) / DAY_MS),
          names: names.get(one.component_id) ?? "",
          issuer: issuers.get(one.component_id) ?? "",
          protocol: protocols.get(one.component_id) ?? "",
        },
      ];
    })
    .sort((a, b) => a.daysLeft - b.daysLeft || a.name.localeCompare(b.name));
}
