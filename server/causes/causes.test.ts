import { beforeEach, describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { EstateGraph } from "#core/topology/graph";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { componentById, insertComponent } from "../store/estate";
import { keepFinding } from "../store/findings";
import { insertRelation, relationsAt } from "../store/relations";
import { causesOf } from "./causes";
import { readHarmMap } from "./harm-map";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => emptyEstate(db));

const place = (name: string, more: { label?: string; hostId?: number; address?: string } = {}) =>
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
      ...more,
    },
    AT - 24 * HOUR_MS,
  );
const nameOf = ({ id }: { id: number }) => componentById(db, id)?.name ?? "a service";
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
  text: "",
});

describe("what the logs of callers say", () => {
  /** A front with two stores of one name on hosts of their own; its log tells of errors. */
  function blamed(text: string, by: "finding" | "alarm" = "finding") {
    const hosts = ["127.20.1.14", "127.20.2.13"].map((address) => place(`host ${address}`, { address }));
    const front = place("front @ f", { label: "front", hostId: place("f") });
    const stores = hosts.map((hostId, at) => place(`store @ h${at}`, { label: "store", hostId }));
    for (const toId of stores)
      insertRelation(
        db,
        { type: "talks-to", fromId: front, toId, detail: "tcp/5432", connections: 3, seenBy: "both" },
        AT - HOUR_MS,
      );
    const graph = new EstateGraph(
      relationsAt(db, AT).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
    );
    const harm = readHarmMap(db, graph, new Map());
    const kind = {
      subject: { type: "component", id: front },
      ruleId: 1,
      seriesId: null,
      detector: "logs",
      metric: "logs.new",
      direction: "above",
      qualifier: "rule 1",
    } as const;
    db.exec("DELETE FROM odd_finding; DELETE FROM rule");
    db.prepare("INSERT INTO rule (id, name) VALUES (1, 'New errors')").run();
    if (by === "finding") keepFinding(db, { ...kind, score: 90, onsetMs: AT, text }, AT);
    const alarms = [
      alarm("component", front, "calls.slow", AT),
      ...(by === "alarm" ? [{ ...alarm("component", front, "logs.new", AT), text }] : []),
    ];
    const causes = causesOf(db, alarms, harm, nameOf, AT + MINUTE_MS);
    return causes.filter((one) => one.reasons.some((why) => why.includes("name it"))).map((one) => one.name);
  }
  it("is evidence on whom they name, by the address where several have the name", () => {
    expect(blamed("New error, 1 times: store at 127.20.1.14 did not answer")).toEqual(["store @ h0"]);
    expect(blamed("New error, 1 times: the store did not answer").sort()).toEqual(["store @ h0", "store @ h1"]);
    expect(blamed("New error, 1 times: restore at 127.20.1.14 failed")).toEqual([]);
    expect(blamed("New error, 9 times: store at 127.20.2.13 did not answer", "alarm")).toEqual(["store @ h1"]);
    expect(blamed("New error, 9 times: restore at 127.20.1.14 failed", "alarm")).toEqual([]);
  });
});

it("takes no date from what lags behind: a budget that burnt for hours makes nothing else late", () => {
  const [front, back] = [place("front"), place("back")];
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
  const [cause] = causesOf(db, alarms, harm, nameOf, AT + 5 * MINUTE_MS);
  expect(cause?.componentId).toBe(back);
  expect(cause?.reasons.join("; ")).not.toContain("began before");
  expect(cause?.reasons.join("; ")).toContain("explains all 2 others");
});
