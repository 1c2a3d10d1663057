import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { singlePoints, Structure, type NeedEdge, type Part } from "#core/topology/impact";
import { mapPage } from "#server/pages/map/page";
import { openStore, prepared } from "#server/store/database";
import { differences } from "#server/store/differences";
import { fillLargeMap } from "./estate-store";
import type { Measurement } from "./measurement";

const COMPONENTS = 5_000;
const RELATIONS = 15_000;
const PARTS = 20_000;
const WEEK_MS = 7 * 86_400_000;

/** The median time of some runs, milliseconds. */
function median(runs: number, work: () => unknown): number {
  work();
  const times = Array.from({ length: runs }, () => {
    const began = performance.now();
    work();
    return performance.now() - began;
  }).sort((a, b) => a - b);
  return times[Math.floor(runs / 2)] as number;
}

/** A map of 5,000 components with 15,000 relations, folded and with groups open, and the difference of a week. */
export function benchMap(root: string): Measurement[] {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-map-"));
  try {
    fillLargeMap(root, folder, COMPONENTS, RELATIONS);
    const db = openStore(join(folder, "holotaxis.db"), "writer");
    const atMs = Date.now() - 60_000;
    const plain = median(9, () => {
      prepared(db, "SELECT * FROM component").all();
      prepared(db, "SELECT * FROM relation").all();
    });
    const reference = { name: "reading its rows alone", value: plain };
    const size = `${COMPONENTS.toLocaleString("en-GB")} components with ${RELATIONS.toLocaleString("en-GB")} relations`;
    const open = ["site:Hall 1", "site:Hall 1/kind:app.process", "site:Hall 2"];
    const rows: Measurement[] = [
      {
        name: `map of ${size} at a past instant`,
        value: median(9, () => mapPage(db, { atMs })),
        unit: "ms",
        better: "lower",
        target: 200,
        reference,
      },
      {
        name: `map of ${size} by site and kind with three groups open`,
        value: median(9, () => mapPage(db, { atMs, by: ["site", "kind"], open })),
        unit: "ms",
        better: "lower",
        target: 200,
        reference,
      },
      {
        name: `difference of two instants a week apart at ${COMPONENTS.toLocaleString("en-GB")} components`,
        value: median(9, () => differences(db, { fromMs: atMs - WEEK_MS, toMs: atMs, search: "" })),
        unit: "ms",
        better: "lower",
        target: 300,
        reference,
      },
    ];
    db.close();
    return [...rows, ...benchImpact()];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Who fails with whom among 20,000 components, and what one of a hundred services hangs on. */
function benchImpact(): Measurement[] {
  const parts = new Map<number, Part>();
  const edges: NeedEdge[] = [];
  const hosts = PARTS / 5;
  for (let host = 0; host < hosts; host++) parts.set(host, { id: host, label: `h${host}`, kind: "host.linux" });
  for (let id = hosts; id < PARTS; id++) {
    parts.set(id, { id, label: `p${id % 800}`, kind: "app.process" });
    edges.push({ id: edges.length, type: "runs-on", from: id, to: id % hosts });
    // Three tiers: what is called is always of a lower number.
    for (let call = 0; call < 2; call++) {
      const to = hosts + ((id * 13 + call * 7_919) % Math.max(1, id - hosts + 1));
      edges.push({ id: edges.length, type: "talks-to", from: id, to });
    }
  }
  const build = () => new Structure(parts, edges);
  const structure = build();
  const entrances = [{ label: "front", entries: [PARTS - 1, PARTS - 801] }];
  const reached = structure.closure(entrances[0]?.entries ?? []).size;
  return [
    {
      name: `impact and single points of failure of 20,000 components (a service that rests on ${reached.toLocaleString("en-GB")})`,
      value: median(5, () => {
        build();
        structure.impact([0]);
        singlePoints(structure, entrances);
      }),
      unit: "ms",
      better: "lower",
      target: 500,
      reference: { name: "building the graph alone", value: median(5, build) },
    },
  ];
}
