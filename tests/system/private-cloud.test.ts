import { readFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { FingerprintBook } from "#core/estate/fingerprints";
import { SampleWriter } from "#server/ingest/sample-writer";
import type { PlatformPoller } from "#server/polling/platforms";
import { privateCloudDriver } from "#server/sources/private-cloud/driver";
import type { Db } from "#server/store/database";
import { currentComponents } from "#server/store/estate";
import { factsAt } from "#server/store/facts";
import { platformFailures, platformOf } from "#server/store/platforms";
import { currentRelations } from "#server/store/relations";
import { lastSample, seriesOfMetric } from "#server/store/signals";
import { insertSource } from "#server/store/sources";
import type { Access } from "#server/vault/kinds";
import { PrivateCloudObjects } from "#standins/private-cloud/objects";
import { startPrivateCloud } from "#standins/private-cloud/serve";
import { readScenario } from "#standins/scenario/read";
import type { ScenarioPrivateCloud } from "#standins/scenario/schema";
import { Estate } from "#standins/seen/estate";
import { makePlatformPoller } from "../platform-poller";
import { emptyEstate, useStore } from "../store";

const AT = Date.parse("2026-03-17T10:00:00Z");
const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
if (!read.ok) throw new Error(read.problems.join("; "));
const { scenario } = read;

let db: Db;
let nowMs: number;
let estate: Estate;
let cloud: ScenarioPrivateCloud;
let server: Server;
let password: string;
let poller: PlatformPoller;
let writer: SampleWriter;
let source: number;
useStore((made) => (db = made));

/** A port of this host that nobody listens on. */
async function freePort(): Promise<number> {
  const probe = createServer().listen(0, "127.0.0.1");
  await new Promise((done) => probe.once("listening", done));
  const { port } = probe.address() as AddressInfo;
  await new Promise((done) => probe.close(done));
  return port;
}

beforeEach(async () => {
  emptyEstate(db);
  nowMs = AT;
  password = "turn-of-tide-19";
  estate = new Estate(scenario, AT);
  cloud = { ...(scenario.privateClouds[0] as ScenarioPrivateCloud), address: "127.0.0.1", port: await freePort() };
  server = await startPrivateCloud(new PrivateCloudObjects(estate, cloud), () => nowMs);
  source = insertSource(
    db,
    { kind: "private-cloud", name: "Quay cloud", site: "North Quay", settings: settings(), pollSeconds: 15 },
    undefined,
    AT,
  );
  writer = new SampleWriter(db);
  poller = makePoller();
});
afterEach(() => {
  poller.stop();
  server.closeAllConnections();
  server.close();
});

const settings = (more: object = {}) => ({
  host: "127.0.0.1",
  port: cloud.port,
  path: "/identity",
  tls: "no" as const,
  project: "halvane-quays",
  domain: "Default",
  authority: "",
  ...more,
});
const access = (): Access[] => [
  { id: 1, name: "observer", kind: "basic", fields: { user: "observer", password }, destinations: "127.0.0.1" },
];
const tools = () => ({
  book: new FingerprintBook({}),
  hostKeys: { known: () => undefined, met: () => undefined },
  mapping: () => undefined,
  now: () => nowMs,
});

function makePoller(): PlatformPoller {
  return makePlatformPoller(db, () => nowMs, { sampleWriter: writer, access });
}

const look = async () => {
  nowMs += 15_000;
  await poller.look(source);
};
const present = (kind: string) =>
  currentComponents(db)
    .filter((one) => one.kind === kind)
    .map((one) => one.name)
    .sort();
const named = (name: string) => currentComponents(db).find((one) => one.name === name)?.id ?? 0;
const check = (more: object = {}) =>
  privateCloudDriver.check(settings(more), access(), new AbortController().signal, tools());

describe("a private cloud", () => {
  it("is found from host, port, project and user alone: regions, hypervisors, instances with all that belongs to them", async () => {
    await look();
    expect(platformFailures(db)).toEqual([]);
    expect(platformOf(db, source)?.problem).toBeNull();
    expect(present("platform.region")).toEqual(["north", "quayside"]);
    expect(present("host.hypervisor")).toEqual(["nq-virt-01.halvane.example", "nq-virt-02.halvane.example"]);
    expect(present("platform.image")).toHaveLength(6);
    expect(present("platform.size").length).toBeGreaterThan(3);
    expect(present("net.virtual")).toEqual(["north-net", "quayside-net"]);
    const id = named("nq-gate-app-01");
    const facts = Object.fromEntries(factsAt(db, id, nowMs).map((one) => [one.name, one.value]));
    expect(facts).toMatchObject({
      "platform state": "ACTIVE",
      "platform size": expect.stringMatching(/^q-/) as string,
      "platform zone": "quayside-1",
      "platform disks": "1",
      "platform interfaces": "1",
    });
    const related = currentRelations(db)
      .filter((one) => one.from_id === id)
      .map((one) => `${one.type} ${currentComponents(db).find((other) => other.id === one.to_id)?.name}`);
    expect(related).toEqual(
      expect.arrayContaining([
        "hosted-by nq-virt-02.halvane.example",
        "stored-on nq-gate-app-01-system",
        "wired-to quayside-net",
      ]),
    );
  });

  it("tells what its instances do from their counters, and what its hypervisors have allotted", async () => {
    await look();
    await look();
    writer.write("everything").settle();
    const value = (name: string, metric: string) => {
      const series = seriesOfMetric(db, named(name), metric);
      return series && lastSample(db, series.id, nowMs, 60_000)?.value;
    };
    const machine = estate.world.layout.machine("nq-gate-app-01");
    if (!machine) throw new Error("no machine");
    const cores = estate.world.state.machine.cores[machine.index] as number;
    expect(value("nq-gate-app-01", "guest.cpu.used")).toBeCloseTo((100 * cores) / machine.role.cores, 0);
    expect(value("nq-gate-app-01", "guest.memory.used")).toBeGreaterThan(1);
    expect(value("nq-gate-app-01", "guest.net.in")).toBeGreaterThan(0);
    const host = estate.world.layout.machine("nq-virt-02");
    const given = host?.guests.filter((one) => !one.spare).reduce((sum, one) => sum + one.role.cores, 0) ?? 0;
    expect(value("nq-virt-02.halvane.example", "cpu.allotted")).toBeCloseTo((100 * given) / (host?.role.cores ?? 1), 6);
  });

  it("is read page by page, and what it ends leaves with the next look", async () => {
    cloud.more = 230;
    await look();
    const before = present("host.instance").length;
    expect(present("host.instance").filter((one) => one.startsWith("spare-"))).toHaveLength(230);
    cloud.more = 229;
    await look();
    expect(present("host.instance")).toHaveLength(before - 1);
    expect(present("host.instance")).not.toContain("spare-00230");
    cloud.more = 231;
    await look();
    expect(present("host.instance")).toContain("spare-00231");
  });

  it("is signed in to anew when its token dies early", async () => {
    await look();
    server.closeAllConnections();
    await new Promise((done) => server.close(done));
    server = await startPrivateCloud(new PrivateCloudObjects(estate, cloud), () => nowMs);
    cloud.more = 1;
    await look();
    expect(platformOf(db, source)?.problem).toBeNull();
    expect(present("host.instance")).toContain("spare-00001");
  });

  it("retires nothing when it cannot be signed in to, and says why", async () => {
    await look();
    const before = currentComponents(db).length;
    password = "wrong";
    await look();
    expect(platformOf(db, source)?.problem).toContain("the user, the password, the project “halvane-quays”");
    expect(currentComponents(db)).toHaveLength(before);
  });

  it("says in its test what it found, and what is wrong with what was given", async () => {
    const good = await check();
    expect(good.ok).toBe(true);
    expect(good.lines.join("\n")).toContain("Regions: north, quayside.");
    expect(good.lines.join("\n")).toMatch(/instances in north: \d+ on the first page/);
    expect(await check({ project: "another" })).toMatchObject({ ok: false });
    const other = createServer((_request, response) => response.end("hello")).listen(0, "127.0.0.1");
    await new Promise((done) => other.once("listening", done));
    const { port } = other.address() as AddressInfo;
    expect((await check({ port })).lines.join()).toContain("is no identity service (version 3)");
    other.closeAllConnections();
    other.close();
    expect((await check({ port: 1 })).ok).toBe(false);
  });
});
