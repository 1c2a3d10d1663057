import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { dot, graphml, xmlText, type FileEdge, type FileNode } from "./graph-files";

const node = (id: string, name: string): FileNode => ({
  id,
  name,
  kind: "host.linux",
  severity: "major",
  members: 3,
  unwell: 1,
});
const edge = (from: string, to: string): FileEdge => ({
  from,
  to,
  type: "talks-to",
  relations: 2,
  connections: 5,
  calls: 70,
  failed: 4,
});

describe("GraphML", () => {
  it("declares each datum with its type and writes nodes and edges with them", () => {
    const text = graphml([node("c1", "a"), node("g<x>", 'b & "c"')], [edge("c1", "g<x>")]);
    expect(text).toContain('<key id="n-members" for="node" attr.name="members" attr.type="int"/>');
    expect(text).toContain('<node id="g&lt;x&gt;"><data key="n-name">b &amp; &quot;c&quot;</data>');
    expect(text).toMatch(/<edge source="c1" target="g&lt;x&gt;">.*<data key="e-calls">70<\/data>/);
  });
  it("never writes what XML does not allow, whatever names hold", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary" }), (name) => {
        const text = xmlText(name);
        expect(text).not.toMatch(/[<>"']|&(?!amp;|lt;|gt;|quot;|apos;|#xD;|#x85;|#x2028;)/);
        expect([...text].every((sign) => /[\t\n\r\u0020-\uFFFD\u{10000}-\u{10FFFF}]/u.test(sign))).toBe(true);
      }),
    );
  });
});

describe("DOT", () => {
  it("quotes names so that none ends its line or its quotes", () => {
    fc.assert(
      fc.property(fc.string(), (name) => {
        const line = dot([node("c1", name)], []).split("\n")[2] as string;
        // Outside quotes only what we write: identifiers, signs, no quote left open.
        const outside = line.replaceAll(/"(?:[^"\\]|\\.)*"/g, "");
        expect(outside).toBe("   [label=, kind=, severity=];");
      }),
    );
  });
  it("says what goes over an edge", () =>
    expect(dot([], [edge("c1", "c2")])).toContain('"c1" -> "c2" [label="talks-to, 70 calls"];'));
});
