import { kindInfo } from "#core/catalogue/kinds";
import { HarmGraph, type HarmEdge } from "#core/correlation/harm";
import { EstateGraph } from "#core/topology/graph";
import { prepared, type Db } from "../store/database";
import { ownSite } from "./own-site";
import type { IncidentCause } from "../store/incidents";
import { currentComponents, type ComponentRow } from "../store/estate";
import { relationsAt } from "../store/relations";
import { hostsBeside } from "../store/resources";
import { entriesByService } from "../store/services";

export const componentNode = (id: number): string => `component:${id}`;
export const serviceNode = (id: number): string => `service:${id}`;
/** The line between two sites. */
export const lineNode = (a: string, b: string): string => `line:${[a, b].sort().join("\n")}`;

/**
 * The same line where it is cut, not only slow or lossy: what lies beyond is out of reach then.
 * @param far the end that is out of reach; either where left out
 */
const cutNode = (a: string, b: string, far?: string): string =>
  `cut:${[...[a, b].sort(), ...(far === undefined ? [] : [far])].join("\n")}`;

/** The two sites of a line's node, cut or not; undefined for any other node. */
export const sitesOfLine = (node: string): [string, string] | undefined =>
  /^(line|cut):/.test(node)
    ? (node
        .slice(node.indexOf(":") + 1)
        .split("\n")
        .slice(0, 2) as [string, string])
    : undefined;

/** A line as people call it. */
export const lineName = ([one, other]: readonly [string, string]): string => `Line between ${one} and ${other}`;

/** The component of a node; undefined for any other node. */
export const componentOfNode = (node: string): number | undefined =>
  node.startsWith("component:") ? Number(node.slice(10)) : undefined;

/** The node of a cause as it is kept with an incident; of a line the one that is cut, which can do all that it can. */
export const nodeOfCause = ({
  componentId,
  serviceId,
  line,
}: Pick<IncidentCause, "componentId" | "serviceId" | "line">) =>
  line
    ? cutNode(...line)
    : componentId !== null
      ? componentNode(componentId)
      : serviceId !== null
        ? serviceNode(serviceId)
        : undefined;

/** How often parts of a layer are the cause of trouble, beside those that work is done by. */
const WEIGHT_OF_STRATUM: Readonly<Record<string, number>> = {
  people: 0.2,
  services: 0.05,
  applications: 1,
  data: 1,
  hosts: 0.8,
  platforms: 0.4,
  network: 0.4,
};
const LINE_WEIGHT = 0.3;
const CUT_WEIGHT = 0.15;
const SWITCH = "net.switch";

/** Who can hurt whom in the estate of one moment, and what stands where. */
export interface HarmMap {
  graph: HarmGraph;
  weightOf(node: string): number;
  /** Whether a node is watched so closely that it would show trouble of its own. */
  isWatched(node: string): boolean;
  /** A name of all that does the same work as a node beside it; undefined where it stands alone. */
  setOf(node: string): string | undefined;
  /** The component and, of a process, its host: changes on either may be behind it. */
  placesOf(node: string): number[];
}

/** Who could hurt whom by the relations of an instant. */
export const harmMapAt = (db: Db, atMs: number): HarmMap =>
  readHarmMap(
    db,
    new EstateGraph(relationsAt(db, atMs).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id }))),
    entriesByService(db, atMs),
  );

/** Works out from the present relations who can hurt whom; `entries` are the components by which services are entered. */
export function readHarmMap(db: Db, graph: EstateGraph, entries: ReadonlyMap<number, ReadonlySet<number>>): HarmMap {
  const components = new Map(currentComponents(db).map((one) => [one.id, one]));
  const edges: HarmEdge[] = [];
  for (const { id } of components.values()) edges.push(...edgesOf(id, graph, components));
  for (const [service, list] of entries)
    for (const entry of list) edges.push({ from: componentNode(entry), to: serviceNode(service), way: "entry" });
  edges.push(...besideOf(db, graph, entries));
  edges.push(...linesOf(graph, components, ownSite(db)));
  const answering = new Set(
    prepared<{ id: number }>(
      db,
      `SELECT DISTINCT r.component_id AS id FROM operation o JOIN resource r ON r.id = o.resource_id
       WHERE r.component_id IS NOT NULL`,
    )
      .all()
      .map((row) => row.id),
  );
  const rowOf = (node: string): ComponentRow | undefined => {
    const id = componentOfNode(node);
    return id === undefined ? undefined : components.get(id);
  };
  const sets = new Map<number, string>();
  const sizes = new Map<string, number>();
  for (const row of components.values()) {
    const set = setName(row, graph, components);
    if (set === undefined) continue;
    sets.set(row.id, set);
    sizes.set(set, (sizes.get(set) ?? 0) + 1);
  }
  return {
    graph: new HarmGraph(edges),
    weightOf(node) {
      if (node.startsWith("service:")) return 0.001;
      if (node.startsWith("line:")) return LINE_WEIGHT;
      // Which end is out of reach is known; either is asked for by what explains other incidents only.
      if (node.startsWith("cut:")) return node.split("\n").length === 3 ? CUT_WEIGHT : 1e-9;
      const row = rowOf(node);
      const info = row && kindInfo(row.kind);
      // A region, an account or a name space is what others are put in, and seldom what breaks.
      if (info && row.kind.startsWith("platform.")) return 0.05;
      return info ? (WEIGHT_OF_STRATUM[info.stratum] ?? 0.5) : 0.5;
    },
    isWatched(node) {
      const row = rowOf(node);
      if (!row) return false;
      return kindInfo(row.kind).isHost ? row.address !== null : answering.has(row.id);
    },
    setOf(node) {
      const set = sets.get(componentOfNode(node) ?? 0);
      return set !== undefined && (sizes.get(set) ?? 0) > 1 ? set : undefined;
    },
    placesOf(node) {
      const row = rowOf(node);
      return row ? [row.id, ...(row.host_id === null ? [] : [row.host_id])] : [];
    },
  };
}

/** A host that answers beside those who run the same, of which no process is known yet: to those whom they answer. */
function besideOf(db: Db, graph: EstateGraph, entries: ReadonlyMap<number, ReadonlySet<number>>): HarmEdge[] {
  return [...hostsBeside(db)].flatMap(([host, process]): HarmEdge[] => {
    const from = componentNode(host);
    return [
      ...[...entries].flatMap(([service, list]): HarmEdge[] =>
        list.has(process) ? [{ from, to: serviceNode(service), way: "entry" }] : [],
      ),
      ...graph
        .to(process)
        .flatMap((one): HarmEdge[] =>
          one.type === "talks-to" ? [{ from, to: componentNode(one.from), way: "callee" }] : [],
        ),
    ];
  });
}

/**
 * What runs under one name on several hosts does the same work where the same ask for it, or where nobody asks, where it
 * asks the same: one product stores for many.
 */
function setName(
  row: ComponentRow,
  graph: EstateGraph,
  components: ReadonlyMap<number, ComponentRow>,
): string | undefined {
  if (!row.process || !row.label) return undefined;
  const labels = (ids: readonly number[]) =>
    [...new Set(ids.map((id) => components.get(id)?.label ?? ""))].sort().join(",");
  const callers = labels(graph.to(row.id).flatMap((one) => (one.type === "talks-to" ? one.from : [])));
  const callees = labels(graph.from(row.id).flatMap((one) => (one.type === "talks-to" ? one.to : [])));
  return callers || callees ? `${row.kind} ${row.label} ${callers ? `for ${callers}` : `with ${callees}`}` : undefined;
}

function edgesOf(id: number, graph: EstateGraph, components: ReadonlyMap<number, ComponentRow>): HarmEdge[] {
  const own = componentNode(id);
  return graph.from(id).flatMap(({ type, to }): HarmEdge[] => {
    const other = components.get(to);
    if (!other || to === id) return [];
    const node = componentNode(to);
    switch (type) {
      case "talks-to":
        return [
          { from: node, to: own, way: "callee" },
          { from: own, to: node, way: "caller" },
          // Who is known to call a host calls what runs there.
          ...(kindInfo(other.kind).isHost
            ? graph
                .to(to)
                .flatMap((one): HarmEdge[] =>
                  one.type === "runs-on" && one.from !== id
                    ? [{ from: componentNode(one.from), to: own, way: "callee" }]
                    : [],
                )
            : []),
        ];
      case "runs-on":
        return [
          { from: node, to: own, way: "host" },
          { from: own, to: node, way: "process" },
        ];
      case "hosted-by":
        return [
          { from: node, to: own, way: "hypervisor" },
          ...(kindInfo(other.kind).hasGuests ? [{ from: own, to: node, way: "guest" } as const] : []),
        ];
      case "stored-on":
        return [
          { from: node, to: own, way: "volume" },
          { from: own, to: node, way: "writer" },
        ];
      case "part-of":
        // A pool carries its volumes.
        return other.kind.startsWith("storage.") ? [{ from: node, to: own, way: "volume" }] : [];
      case "wired-to":
        if (other.kind === SWITCH && components.get(id)?.kind === SWITCH)
          return [
            { from: node, to: own, way: "trunk" },
            { from: own, to: node, way: "trunk" },
          ];
        return [
          { from: node, to: own, way: "switch" },
          { from: own, to: node, way: "wired" },
        ];
    }
  });
}

/**
 * Lines between sites: wherever calls cross from one to another. They hurt who calls across and show at a switch
 * of either site; what lies beyond is out of reach where they are cut.
 */
function linesOf(
  graph: EstateGraph,
  components: ReadonlyMap<number, ComponentRow>,
  own: string | undefined,
): HarmEdge[] {
  const edges: HarmEdge[] = [];
  const lines = new Map<string, [string, string]>();
  // Places with a network of their own; an account of a cloud is none.
  const places = new Set([...components.values()].filter((row) => row.kind === SWITCH).map((row) => row.site));
  for (const row of components.values())
    for (const { type, to } of graph.from(row.id)) {
      const other = components.get(to);
      if (type !== "talks-to" || !other || other.site === row.site) continue;
      if (!places.has(row.site) || !places.has(other.site)) continue;
      const line = lineNode(row.site, other.site);
      const cuts = [undefined, row.site, other.site].map((far) => cutNode(row.site, other.site, far));
      lines.set(line, [row.site, other.site]);
      for (const from of [line, ...cuts]) edges.push({ from, to: componentNode(row.id), way: "line" });
    }
  for (const [a, b] of lines.values())
    for (const row of components.values())
      if (row.kind === SWITCH && (row.site === a || row.site === b))
        for (const from of [lineNode(a, b), cutNode(a, b), cutNode(a, b, a), cutNode(a, b, b)])
          edges.push({ from, to: componentNode(row.id), way: "end" });
  for (const [a, b] of lines.values())
    for (const row of components.values())
      if (liesBeyond(row.site, [a, b], own, lines) && (row.address !== null || row.kind.startsWith("platform.")))
        for (const from of [cutNode(a, b), cutNode(a, b, row.site)])
          edges.push({ from, to: componentNode(row.id), way: "beyond" });
  return edges;
}

/**
 * Whether what is at a site can be out of reach from here where a line is cut: it is at an end of it, and not at ours. A line between
 * two other sites is on our way to one of them only where none leads there from our own.
 */
function liesBeyond(
  site: string,
  ends: readonly [string, string],
  own: string | undefined,
  lines: ReadonlyMap<string, unknown>,
): boolean {
  if (!ends.includes(site) || site === own) return false;
  return own === undefined || ends.includes(own) || !lines.has(lineNode(own, site));
}
