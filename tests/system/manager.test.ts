import { readFileSync } from "node:fs";
import type { Server } from "node:http";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { SampleWriter } from "#server/ingest/sample-writer";
import type { PlatformPoller } from "#server/polling/platforms";
import type { Db } from "#server/store/database";
import { currentComponents } from "#server/store/estate";
import { platformFailures } from "#server/store/platforms";
import { currentRelations } from "#server/store/relations";
import { lastSample, seriesOfMetric } from "#server/store/signals";
import { insertSource } from "#server/store/sources";
import { ManagerView, startManager } from "#standins/manager";
import { readScenario } from "#standins/scenario/read";
import type { ScenarioManager } from "#standins/scenario/schema";
import { Estate } from "#standins/seen/estate";
import { makePlatformPoller } from "../platform-poller";
import { emptyEstate, useStore } from "../store";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MAPPING = readFileSync("platforms/quay-manager.json", "utf8");
const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
if (!read.ok) throw new Error(read.problems.join("; "));
const { scenario } = read;

let db: Db;
let nowMs = AT;
let estate: Estate;
let server: Server;
let poller: PlatformPoller;
let writer: SampleWriter;
let source: number;
useStore((made) => (db = made));

beforeEach(async () => {
  emptyEstate(db);
  nowMs = AT;
  estate = new Estate(scenario, AT);
  // A place of its own: the demonstration may run beside this.
  const manager: ScenarioManager = { ...(scenario.managers[0] as ScenarioManager), address: "127.31.5.1" };
  server = await startManager(new ManagerView(estate, manager), () => nowMs);
  const settings = { address: `http://127.31.5.1:${manager.port}`, mapping: "Quay manager", authority: "" };
  source = insertSource(
    db,
    { kind: "platform", name: "South", site: "South", settings, pollSeconds: 15 },
    undefined,
    AT,
  );
  writer = new SampleWriter(db);
  poller = makePlatformPoller(db, () => nowMs, {
    sampleWriter: writer,
    access: () => [{ id: 1, name: "key", kind: "bearer", fields: { token: manager.key }, destinations: "127.31.5.1" }],
    mapping: MAPPING,
  });
});
afterEach(() => {
  poller.stop();
  server.closeAllConnections();
  server.close();
});

const look = async () => {
  nowMs += 15_000;
  await poller.look(source);
};
const named = (name: string) => currentComponents(db).find((one) => one.name === name);
const value = (name: string, metric: string) => {
  writer.write("everything").settle();
  const series = seriesOfMetric(db, named(name)?.id ?? 0, metric);
  return series && lastSample(db, series.id, nowMs, 60_000)?.value;
};
const leadsTo = (name: string) =>
  currentRelations(db)
    .filter((one) => one.from_id === named(name)?.id)
    .map((one) => `${one.type} ${currentComponents(db).find((other) => other.id === one.to_id)?.name}`)
    .sort();

describe("a manager of hypervisors, by a mapping", () => {
  it("tells of clusters, hosts, guests, switches, datastores and disks, and how they hang together", async () => {
    await look();
    expect(platformFailures(db)).toEqual([]);
    expect(named("South")?.kind).toBe("platform.region");
    expect(named("sq-virt-01")?.kind).toBe("host.hypervisor");
    expect(leadsTo("sq-berth-web-01")).toEqual(
      expect.arrayContaining(["hosted-by sq-virt-01", "stored-on sq-berth-web-01 disk 0", "wired-to south-switch"]),
    );
    expect(leadsTo("sq-berth-web-01 disk 0")).toEqual(["part-of south-store"]);
    expect(value("south-switch", "net.ports")).toBe(9);
    expect(value("south-switch", "net.discards")).toBe(0);
    expect(value("sq-berth-web-01", "guest.memory.touched")).toBeGreaterThan(1e8);
    expect(value("sq-berth-web-01", "guest.memory.overhead")).toBeGreaterThan(1e7);
    expect(value("sq-virt-01", "cpu.allotted")).toBeGreaterThan(50);
  });

  it("shows that a guest waits for processors that another one takes, and a disk that answers late in its datastore", async () => {
    await look();
    const machine = estate.world.layout.machine("sq-berth-web-01");
    const disk = machine?.disks[0];
    if (!machine || !disk) throw new Error("no machine");
    const calm = value("sq-berth-web-01", "guest.cpu.ready") ?? 0;
    expect(value("sq-berth-web-01 disk 0", "volume.latency")).toBeLessThan(2);
    const { state } = estate.world;
    // The world stands still, with what a hog and a failing device do to it.
    estate.world.advance = () => state;
    state.machine.stolen[machine.index] = 40;
    state.disk.slowdown[disk.index] = 250;
    await look();
    expect(value("sq-berth-web-01", "guest.cpu.ready")).toBeGreaterThan(calm + 20);
    expect(value("sq-berth-web-01", "guest.cpu.stolen")).toBe(40);
    expect(value("sq-berth-web-01 disk 0", "volume.latency")).toBeGreaterThan(100);
  });
});
