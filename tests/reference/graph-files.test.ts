import fc from "fast-check";
import { MultiDirectedGraph } from "graphology";
import { parse } from "graphology-graphml";
import { expect, it } from "vitest";
import { graphml, type FileEdge, type FileNode } from "#core/topology/graph-files";

// Maps are given out as GraphML (Brandes et al., graphml.graphdrawing.org). They are read here by the reader of the
// graphology library, which knows nothing of Holotaxis.
const text = fc.string({ unit: "grapheme", maxLength: 20 });
const count = fc.integer({ min: 0, max: 1_000_000 });
const graph = fc
  .uniqueArray(fc.stringMatching(/^[cgs][A-Za-z0-9:<>&"' .-]{1,12}$/), { minLength: 1, maxLength: 8 })
  .chain((ids) =>
    fc.record({
      nodes: fc.tuple(
        ...ids.map((id) =>
          fc.record({
            id: fc.constant(id),
            name: text,
            kind: fc.constantFrom("app.web", "host.linux", ""),
            severity: fc.constantFrom("cleared", "critical"),
            members: count,
            unwell: count,
          }),
        ),
      ),
      edges: fc.array(
        fc.record({
          from: fc.constantFrom(...ids),
          to: fc.constantFrom(...ids),
          type: fc.constantFrom("talks-to", "runs-on"),
          relations: count,
          connections: count,
          calls: count,
          failed: count,
        }),
        { maxLength: 12 },
      ),
    }),
  );
/** What XML 1.0 cannot hold is left out. */
const held = (given: string) => given.toWellFormed().replaceAll(/[^\t\n\r\u0020-\uFFFD\u{10000}-\u{10FFFF}]/gu, "");

it("a map as GraphML opens in another program's reader with all that it says", () => {
  fc.assert(
    fc.property(graph, ({ nodes, edges }: { nodes: FileNode[]; edges: FileEdge[] }) => {
      const read = parse(MultiDirectedGraph, graphml(nodes, edges));
      expect(read.type).toBe("directed");
      expect(read.nodes().sort()).toEqual(nodes.map((one) => one.id).sort());
      for (const { id, name, ...others } of nodes) {
        const own = read.getNodeAttributes(id);
        expect({ ...own, name: undefined }).toMatchObject({ members: others.members, unwell: others.unwell });
        expect(String(own.name ?? "")).toBe(held(name));
        expect(own.severity).toBe(others.severity);
      }
      const said = read.mapEdges((_edge, { type, calls }, from, to) => `${from} ${type} ${to} ${calls}`).sort();
      expect(said).toEqual(edges.map(({ from, to, type, calls }) => `${from} ${type} ${to} ${calls}`).sort());
    }),
  );
});
