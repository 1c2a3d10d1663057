import { beforeEach, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { EstateGraph } from "#core/topology/graph";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation, relationsAt } from "../store/relations";
import { causesOf } from "./causes";
import { readHarmMap } from "./harm-map";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => emptyEstate(db));

const make = (name: string) =>
  insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site: "N",
      reason: "test",
      sourceId: null,
      hostId: null,
      address: null,
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 24 * HOUR_MS,
  );
type Alarm = Parameters<typeof causesOf>[1][number];
let made = 0;
const alarm = (type: "component" | "service", id: number, metric: string, onset_at: number): Alarm => ({
  id: ++made,
  subject_type: type,
  subject_id: id,
  subject: `${type} ${id}`,
  metric,
  direction: "above",
  qualifier: "",
  onset_at,
  severity: "major",
  worst: "major",
});

it("takes no date from what lags behind: a budget that burnt for hours makes nothing else late", () => {
  const [front, back] = [make("front"), make("back")];
  insertRelation(
    db,
    { type: "talks-to", fromId: front, toId: back, detail: "tcp/80", connections: 3, seenBy: "both" },
    AT - 24 * HOUR_MS,
  );
  const graph = new EstateGraph(
    relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
  );
  const harm = readHarmMap(db, graph, new Map([[7, new Set([front])]]));
  const alarms = [
    alarm("component", back, "calls.slow", AT),
    alarm("component", front, "calls.slow", AT + MINUTE_MS),
    alarm("service", 7, "objective.burn", AT - 6 * HOUR_MS),
  ];
  const [cause] = causesOf(db, alarms, harm, ({ id }) => `${id}`, AT + 5 * MINUTE_MS);
  expect(cause?.componentId).toBe(back);
  expect(cause?.reasons.join("; ")).not.toContain("began before");
  expect(cause?.reasons.join("; ")).toContain("explains all 2 others");
});
