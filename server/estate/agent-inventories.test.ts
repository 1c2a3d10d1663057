import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { agentReport, systemOfReport, type AgentReport } from "#core/estate/agent-report";
import type { Look } from "#core/estate/observation";
import { recognise, type Recognised } from "#core/estate/recognise";
import { observeContainer } from "#core/estate/entity";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { componentById, currentComponents } from "../store/estate";
import { currentRelations } from "../store/relations";
import { insertSource } from "../store/sources";
import { AgentInventories } from "./agent-inventories";
import { sourceTools } from "./source-tools";
import { takeInFew, takeInLook } from "./take-in";

const START = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let nowMs: number;
let inventories: AgentInventories;
const talks = vi.fn();
const onEstate = vi.fn();
useStore((made) => (db = made));
beforeEach(() => {
  db.exec("DELETE FROM change; DELETE FROM fact; DELETE FROM component_key; DELETE FROM component; DELETE FROM source");
  vi.useFakeTimers();
  talks.mockClear();
  onEstate.mockClear();
  nowMs = START;
  const id = insertSource(db, { kind: "agent", name: "Agents", site: "", settings: "{}" }, undefined, START);
  const tools = sourceTools(db, process.cwd(), () => nowMs);
  inventories = new AgentInventories({
    db,
    now: () => nowMs,
    tools: () => tools,
    source: () => ({ id, room: 100 }),
    talks,
    onEstate,
  });
});
afterEach(() => {
  inventories.stop();
  vi.useRealTimers();
});

const software = { pid: 40, name: "cached", path: "/usr/bin/cached", parameters: "", parent: 1, user: "cache" };
const system = {
  description: "A Linux",
  processors: 2,
  memory: { totalBytes: 2 ** 30, usedBytes: 2 ** 29 },
  disks: [{ mount: "/", sizeBytes: 2 ** 32, usedBytes: 2 ** 30 }],
  interfaces: [],
  addresses: ["198.51.100.7"],
  packages: [],
  uuid: "",
  serial: "",
  model: "",
  software: [software, { ...software, pid: 41, name: "ledgerd", path: "/usr/bin/ledgerd" }],
  listeners: [
    { address: "0.0.0.0", port: 7001, pid: 40 },
    { address: "0.0.0.0", port: 7002, pid: 41 },
  ],
  connections: [],
};
const reportOf = (changes: object = {}, hostName = "crane-07"): AgentReport =>
  agentReport.parse({ hostName, hostId: "", everySeconds: 60, system: { ...system, ...changes } });
const taken = async (report: AgentReport, from = "198.51.100.7") => {
  const answer = inventories.take(report, from);
  await vi.advanceTimersByTimeAsync(60_000);
  nowMs += 60_000;
  return answer;
};
const named = (name: string) => currentComponents(db).find((one) => one.name === name);

describe("what agents say runs on their hosts", () => {
  it("becomes a host with its programs, once", async () => {
    expect(await taken(reportOf())).toBeUndefined();
    expect(await taken(reportOf())).toBeUndefined();
    expect(currentComponents(db).map((one) => one.name)).toEqual([
      "cached @ crane-07",
      "ledgerd @ crane-07",
      "crane-07",
    ]);
    expect(named("crane-07")?.address).toBe("198.51.100.7");
  });

  it("ends what it does not name any more, after two reports", async () => {
    await taken(reportOf());
    const id = named("ledgerd @ crane-07")?.id as number;
    const less = { software: [software], listeners: [system.listeners[0]] };
    await taken(reportOf(less));
    expect(componentById(db, id)?.valid_to).toBeNull();
    await taken(reportOf(less));
    expect(componentById(db, id)?.valid_to).not.toBeNull();
    expect(onEstate).toHaveBeenLastCalledWith([id]);
  });

  it("runs in the container of that host which it names, until it names another", async () => {
    await taken(reportOf());
    const [first, second] = ["a".repeat(64), "b".repeat(64)];
    const containerOn = (host: string, id: string) =>
      takeInFew(db, {
        observer: { sourceId: null, label: "a sender", site: "" },
        atMs: nowMs,
        sinceMs: nowMs,
        observations: [
          observeContainer(
            { what: "container", id, hostName: host, label: `box-${id[0]}`, facts: {} },
            { id: named(host)?.id as number, name: host },
          ),
        ],
      });
    containerOn("crane-07", first);
    containerOn("crane-07", second);
    const inside = (container: string) => reportOf({ software: [{ ...software, container }, system.software[1]] });
    const carriers = () => {
      const id = named("cached @ crane-07")?.id;
      return currentRelations(db)
        .filter((one) => one.from_id === id)
        .map((one) => [one.type, componentById(db, one.to_id)?.name]);
    };
    await taken(inside(first));
    expect(carriers()).toEqual([
      ["runs-on", "crane-07"],
      ["runs-on", "box-a @ crane-07"],
    ]);
    await taken(inside(second));
    await taken(inside(second));
    expect(carriers()).toEqual([
      ["runs-on", "crane-07"],
      ["runs-on", "box-b @ crane-07"],
    ]);
    // Who does not see it does not end it.
    const given = systemOfReport("crane-07", reportOf().system as NonNullable<AgentReport["system"]>);
    const { book } = sourceTools(db, process.cwd(), () => nowMs);
    const address = "198.51.100.7";
    const seen = recognise({ address, open: [], system: given, readBy: "agent", failures: [] }, book) as Recognised;
    const blind: Look = {
      observer: { sourceId: null, label: "sweep of the quay", site: "" },
      atMs: nowMs,
      sinceMs: nowMs,
      observations: [seen.host, ...seen.parts],
    };
    for (let times = 0; times < 3; times++) takeInLook(db, blind, [{ what: "parts" }]);
    expect(named("cached @ crane-07")?.last_seen_at).toBe(nowMs);
    expect(carriers()).toHaveLength(2);
    // Of another host, or of nobody.
    await taken(reportOf({ addresses: ["198.51.100.8"] }, "crane-08"), "198.51.100.8");
    containerOn("crane-08", "c".repeat(64));
    for (const container of ["c".repeat(64), "d".repeat(64)]) {
      await taken(inside(container));
      await taken(inside(container));
      expect(carriers()).toEqual([["runs-on", "crane-07"]]);
    }
  });

  it("does not become another machine by the word of an agent that speaks from elsewhere", async () => {
    await taken(reportOf({ uuid: "feed", addresses: ["198.51.100.99"] }, "vault-01"), "198.51.100.99");
    const other = named("vault-01")?.id;
    for (const addresses of [["198.51.100.7", "198.51.100.99"], ["198.51.100.99"], []])
      await taken(reportOf({ uuid: "feed", addresses }));
    expect(named("vault-01")).toMatchObject({ id: other, address: "198.51.100.99" });
    expect(named("crane-07")?.id).not.toBe(other);
    expect(currentComponents(db)).toHaveLength(6);
  });

  it("hands who talks to whom to those who count it, for hosts that are known", async () => {
    const tables = { software: [software], listeners: system.listeners, connections: [] };
    const only = agentReport.parse({ hostName: "crane-07", hostId: "", everySeconds: 60, tables });
    expect(await inventories.take(only, "198.51.100.7")).toMatch(/Report all of it/);
    await taken(reportOf());
    expect(await inventories.take(only, "198.51.100.7")).toBeUndefined();
    expect(talks).toHaveBeenCalledWith(named("crane-07")?.id, expect.objectContaining({ listeners: system.listeners }));
  });

  it("answers everybody when it stops", async () => {
    const answer = inventories.take(reportOf(), "198.51.100.7");
    inventories.stop();
    expect(await answer).toMatch(/stopping/);
  });
});
