import { EstateGraph } from "#core/topology/graph";
import { WaysIn } from "#core/topology/ways-in";
import { readHarmMap, type HarmMap } from "../causes/harm-map";
import { readGraph, refreshServices, servicesByComponent } from "../estate/services";
import type { Affected } from "../incidents/refresh";
import type { Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { currentComponents, type ComponentRow } from "../store/estate";
import { unwatched } from "../store/labels";
import { entriesByService, listServices, type ServiceRow } from "../store/services";
import { waysInAt } from "../store/ways-in";

const NOBODY: ReadonlySet<number> = new Set();

/** What the engine has in mind of the estate, so that a tick asks nothing of the store: taken up where it changes. */
export class KnownEstate {
  kinds: ReadonlyMap<number, string> = new Map();
  components: ReadonlyMap<number, Pick<ComponentRow, "name" | "site" | "process"> & { hostId: number | null }> =
    new Map();
  services: ReadonlyMap<number, ServiceRow> = new Map();
  /** Components by which each service is entered. */
  entries: ReadonlyMap<number, ReadonlySet<number>> = new Map();
  /** Which calls belong to which service. */
  ways = new WaysIn([]);
  graph = new EstateGraph([]);
  private off: ReadonlySet<number> = new Set();
  /** Who can hurt whom, worked out from the graph when it is asked for. */
  private harm: HarmMap | undefined;
  /** Services that each component belongs to. */
  members: ReadonlyMap<number, { id: number; name: string }[]> = new Map();

  constructor(
    private readonly db: Db,
    private readonly now: () => number,
  ) {}

  /** Takes up names, kinds, what is watched, memberships. */
  reload(): void {
    const components = currentComponents(this.db);
    this.kinds = new Map(components.map((row) => [row.id, row.kind]));
    const off = unwatched(this.db);
    this.off = new Set(
      components.flatMap((row) => (off.has(row.id) || (row.host_id !== null && off.has(row.host_id)) ? [row.id] : [])),
    );
    this.components = new Map(
      components.map(({ id, name, site, process, host_id }) => [id, { name, site, process, hostId: host_id }]),
    );
    this.services = new Map(listServices(this.db).map((service) => [service.id, service]));
    this.members = servicesByComponent(this.db, this.now());
    this.entries = entriesByService(this.db, this.now());
    this.ways = waysInAt(this.db, this.now());
    this.harm = undefined;
  }

  readRelations(): void {
    this.graph = readGraph(this.db);
    this.harm = undefined;
  }

  /** Works services out anew from the present relations. */
  regroup(): void {
    this.readRelations();
    refreshServices(this.db, this.graph, this.now());
    this.members = servicesByComponent(this.db, this.now());
  }

  isWatched(componentId: number): boolean {
    return !this.off.has(componentId);
  }

  servicesOf(componentId: number): readonly { id: number; name: string }[] {
    return this.members.get(componentId) ?? [];
  }

  calleesOf(componentId: number): number[] {
    return this.graph.from(componentId).flatMap((one) => (one.type === "talks-to" ? one.to : []));
  }

  /** Services of which an entry point is one of some components, or relies on one. */
  servicesOver(componentIds: readonly number[]): Set<number> {
    const isOn = (entry: number) => {
      const relied = this.graph.reliedOn(entry);
      return componentIds.some((id) => id === entry || relied.has(id));
    };
    if (componentIds.length === 0) return new Set();
    return new Set([...this.entries].flatMap(([service, entries]) => ([...entries].some(isOn) ? [service] : [])));
  }

  hostOf(componentId: number): number {
    return this.components.get(componentId)?.hostId ?? componentId;
  }

  /** Names by which planned work may mean a subject. */
  namesOf({ type, id }: Subject): { own: string[]; program: string; components: number[] } {
    if (type === "service")
      return {
        own: [this.services.get(id)?.name ?? "", this.services.get(id)?.uid ?? ""],
        program: "",
        components: [],
      };
    const own = type === "component" ? this.components.get(id) : undefined;
    if (!own) return { own: [], program: "", components: [] };
    const host = own.hostId === null ? undefined : this.components.get(own.hostId)?.name;
    return {
      own: [own.name, ...(host === undefined ? [] : [host])],
      program: own.process ?? "",
      components: own.hostId === null ? [id] : [id, own.hostId],
    };
  }

  /** What correlation asks about the estate. */
  affected(): Affected {
    return {
      graph: this.graph,
      harm: () => (this.harm ??= readHarmMap(this.db, this.graph, this.entries)),
      entriesOf: (id) => this.entries.get(id) ?? NOBODY,
      servicesOf: ({ type, id }) => {
        const service = type === "service" ? this.services.get(id) : undefined;
        return service ? [service] : type === "component" ? [...this.servicesOf(id)] : [];
      },
      nameOf: ({ type, id }) =>
        (type === "component" ? this.components.get(id)?.name : this.services.get(id)?.name) ?? `${type} ${id}`,
      siteOf: ({ type, id }) => (type === "component" ? (this.components.get(id)?.site ?? "") : ""),
    };
  }
}
