/** A node and an edge as they are written to files that other programs read. */
export interface FileNode {
  id: string;
  name: string;
  kind: string;
  severity: string;
  /** Components it stands for. */
  members: number;
  unwell: number;
}

export interface FileEdge {
  from: string;
  to: string;
  type: string;
  relations: number;
  connections: number;
  calls: number;
  failed: number;
}

const ESCAPES: Readonly<Record<string, string>> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&apos;",
  // Readers make line feeds of these where they stand as themselves: those of XML 1.0 of the first, of 1.1 of all.
  "\r": "&#xD;",
  "\u0085": "&#x85;",
  "\u2028": "&#x2028;",
};

/** Text for XML 1.0: marks and line ends escaped, characters that it does not allow left out. */
export const xmlText = (text: string): string =>
  text
    .toWellFormed()
    .replaceAll(/[^\t\n\r\u0020-\uFFFD\u{10000}-\u{10FFFF}]/gu, "")
    .replaceAll(/[&<>"'\r\u0085\u2028]/g, (sign) => ESCAPES[sign] as string);

const NODE_KEYS = [
  ["name", "string"],
  ["kind", "string"],
  ["severity", "string"],
  ["members", "int"],
  ["unwell", "int"],
] as const;
const EDGE_KEYS = [
  ["type", "string"],
  ["relations", "int"],
  ["connections", "int"],
  ["calls", "int"],
  ["failed", "int"],
] as const;

/** The graph as GraphML (http://graphml.graphdrawing.org/xmlns), directed, with typed data. */
export function graphml(nodes: readonly FileNode[], edges: readonly FileEdge[]): string {
  const data = (key: string, value: string | number) => `<data key="${key}">${xmlText(String(value))}</data>`;
  return [
    '<?xml version="1.0" encoding="UTF-8"?>',
    '<graphml xmlns="http://graphml.graphdrawing.org/xmlns">',
    ...NODE_KEYS.map(([name, type]) => `<key id="n-${name}" for="node" attr.name="${name}" attr.type="${type}"/>`),
    ...EDGE_KEYS.map(([name, type]) => `<key id="e-${name}" for="edge" attr.name="${name}" attr.type="${type}"/>`),
    '<graph id="map" edgedefault="directed">',
    ...nodes.map(
      (node) =>
        `<node id="${xmlText(node.id)}">${NODE_KEYS.map(([key]) => data(`n-${key}`, node[key])).join("")}</node>`,
    ),
    ...edges.map(
      (edge) =>
        `<edge source="${xmlText(edge.from)}" target="${xmlText(edge.to)}">${EDGE_KEYS.map(([key]) => data(`e-${key}`, edge[key])).join("")}</edge>`,
    ),
    "</graph>",
    "</graphml>",
    "",
  ].join("\n");
}

/** A quoted identifier of DOT. */
const quoted = (text: string): string =>
  `"${text.toWellFormed().replaceAll("\\", "\\\\").replaceAll('"', '\\"').replaceAll(/\s+/g, " ")}"`;

/** The graph in the DOT language. */
export function dot(nodes: readonly FileNode[], edges: readonly FileEdge[]): string {
  return [
    "digraph map {",
    "  node [shape=box];",
    ...nodes.map(
      ({ id, name, kind, severity, members }) =>
        `  ${quoted(id)} [label=${quoted(members > 1 ? `${name} (${members})` : name)}, kind=${quoted(kind)}, severity=${quoted(severity)}];`,
    ),
    ...edges.map(
      ({ from, to, type, calls }) =>
        `  ${quoted(from)} -> ${quoted(to)} [label=${quoted(calls ? `${type}, ${calls} calls` : type)}];`,
    ),
    "}",
    "",
  ].join("\n");
}
