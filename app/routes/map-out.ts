import Papa from "papaparse";
import { dot, graphml, type FileEdge, type FileNode } from "#core/topology/graph-files";
import type { Route } from "./+types/map-out";
import { askedOf, questionOf } from "../shell/map-question";
import { windowOf } from "../shell/window.server";
import { drawnMap } from "../ui/map/drawn";
import type { MapData } from "../ui/map/StrataMap";

const TYPES: Readonly<Record<string, string>> = {
  svg: "image/svg+xml",
  graphml: "application/xml",
  dot: "text/plain; charset=utf-8",
  csv: "text/csv; charset=utf-8",
};

function nodesOf(map: MapData): FileNode[] {
  return map.cards.map(({ id, name, sub, kind, severity, group }) => ({
    id,
    name: group || !sub ? name : `${name} · ${sub}`,
    kind: group ? "group" : kind,
    severity,
    members: group?.members ?? 1,
    unwell: group ? group.unwell : severity === "cleared" ? 0 : 1,
  }));
}

const edgesOf = (map: MapData): FileEdge[] =>
  map.links.flatMap(({ type, ends }) =>
    ends.flatMap(([from, to, connections, calls, failed, relations]) => {
      const [source, target] = [map.cards[from], map.cards[to]];
      return source && target ? [{ from: source.id, to: target.id, type, relations, connections, calls, failed }] : [];
    }),
  );

/** One row for each relation between what is drawn, with what stands at both ends. */
function rowsOf(map: MapData) {
  const nodes = new Map(nodesOf(map).map((node) => [node.id, node]));
  return edgesOf(map).map(({ from, to, ...edge }) => ({
    from: nodes.get(from)?.name ?? from,
    fromKind: nodes.get(from)?.kind ?? "",
    fromHealth: nodes.get(from)?.severity ?? "",
    to: nodes.get(to)?.name ?? to,
    toKind: nodes.get(to)?.kind ?? "",
    toHealth: nodes.get(to)?.severity ?? "",
    ...edge,
  }));
}

/** The map that an address asks for, as a picture, a graph or a table. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, atMs } = windowOf(request, context.now());
  const map = await context.ask("map", { atMs, fromMs, ...questionOf(askedOf(request)) });
  const format = new URL(request.url).pathname.split(".").pop() ?? "";
  const title = `${map.name}, as of ${new Date(atMs).toISOString().slice(0, 16).replace("T", " ")} UTC`;
  const text =
    format === "svg"
      ? drawnMap(map, title)
      : format === "graphml"
        ? graphml(nodesOf(map), edgesOf(map))
        : format === "dot"
          ? dot(nodesOf(map), edgesOf(map))
          : `${Papa.unparse(rowsOf(map), { escapeFormulae: true })}\n`;
  return new Response(text, {
    headers: {
      "Content-Type": TYPES[format] ?? "text/plain",
      "Content-Disposition": `attachment; filename="map.${format}"`,
    },
  });
}
