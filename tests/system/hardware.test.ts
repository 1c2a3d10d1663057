import { readFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { SampleWriter } from "#server/ingest/sample-writer";
import type { PlatformPoller } from "#server/polling/platforms";
import { redfishDriver } from "#server/sources/redfish/driver";
import type { Db } from "#server/store/database";
import { currentComponents, insertComponent } from "#server/store/estate";
import { factsAt } from "#server/store/facts";
import { platformFailures } from "#server/store/platforms";
import { lastSample, seriesOfComponent } from "#server/store/signals";
import { insertSource } from "#server/store/sources";
import type { Access } from "#server/vault/kinds";
import { controllerResources } from "#standins/redfish";
import { readScenario } from "#standins/scenario/read";
import { Estate } from "#standins/seen/estate";
import { uuidOf } from "#standins/seen/host-view";
import { makePlatformPoller } from "../platform-poller";
import { emptyEstate, useStore } from "../store";

const AT = Date.parse("2026-03-17T10:00:00Z");
const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
if (!read.ok) throw new Error(read.problems.join("; "));
const estate = new Estate(read.scenario, AT);

let db: Db;
let server: Server;
let resources: Record<string, object>;
let source: number;
let nowMs: number;
let poller: PlatformPoller;
let writer: SampleWriter;
useStore((made) => (db = made));

beforeEach(async () => {
  emptyEstate(db);
  nowMs = AT;
  const host = estate.host("nq-virt-01");
  if (!host) throw new Error("no host");
  estate.world.advance(AT);
  resources = controllerResources(host, "Halvane Works", AT);
  server = createServer((request, response) => {
    if (request.url !== "/redfish/v1/" && request.headers.authorization !== `Basic ${btoa("observer:right")}`)
      return void response.writeHead(401).end();
    const resource = resources[request.url ?? ""];
    response.writeHead(resource ? 200 : 404).end(JSON.stringify(resource ?? {}));
  });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  source = insertSource(
    db,
    {
      kind: "redfish",
      name: "Hardware",
      site: "North Quay",
      settings: {
        ranges: "127.0.0.1-3",
        except: "",
        port: (server.address() as AddressInfo).port,
        protocol: "http",
        authority: "",
      },
      pollSeconds: 60,
    },
    undefined,
    AT,
  );
  writer = new SampleWriter(db);
  poller = makePoller("right");
});
afterEach(() => {
  poller.stop();
  server.closeAllConnections();
  server.close();
});

const access = (password: string): Access[] => [
  { id: 1, name: "observer", kind: "basic", fields: { user: "observer", password }, destinations: "127.0.0.0/8" },
];

function makePoller(password: string): PlatformPoller {
  return makePlatformPoller(db, () => nowMs, { sampleWriter: writer, access: () => access(password) });
}

const look = async () => {
  nowMs += 60_000;
  await poller.look(source);
};

/** The hypervisor as a sweep knows it. */
const swept = (keys: string[]) =>
  insertComponent(
    db,
    {
      kind: "host.hypervisor",
      confidence: 0.9,
      name: "nq-virt-01",
      site: "North Quay",
      sourceId: null,
      hostId: null,
      address: "127.20.1.5",
      depth: 2,
      readBy: "snmp",
      reason: "",
      keys,
      facts: {},
    },
    AT,
  );

describe("hardware by its management controllers", () => {
  it.each([
    ["name", ["name:nq-virt-01.halvane.example", "addr:127.20.1.5"]],
    ["short name", ["name:nq-virt-01", "addr:127.20.1.5"]],
    ["UUID", [`machine:${uuidOf(estate.world.layout.machine("nq-virt-01") as never)}`, "addr:127.20.1.5"]],
  ])("is the host that runs on it, by its %s, and leaves what others know of it", async (_by, keys) => {
    const id = swept(keys);
    await look();
    expect(currentComponents(db).map((row) => [row.id, row.kind, row.name])).toEqual([
      [id, "host.hypervisor", "nq-virt-01"],
    ]);
    const facts = Object.fromEntries(factsAt(db, id, nowMs).map((one) => [one.name, one.value]));
    expect(facts).toMatchObject({
      "platform maker": "Halvane Works",
      "platform model": "Quayside 2U",
      "platform power state": "on",
      "platform health": "well",
      "platform drives": "2",
      "platform fans": "4",
    });
    writer.write("everything").settle();
    const value = (metric: string, instance: string) => {
      const series = seriesOfComponent(db, id).find((one) => one.metric === metric && one.instance === instance);
      return series && lastSample(db, series.id, nowMs, 3_600_000)?.value;
    };
    expect(value("hardware.power", "System power")).toBeGreaterThan(60);
    expect(value("hardware.temperature", "CPU 1")).toBeGreaterThan(value("hardware.temperature", "Inlet") ?? 99);
    expect(value("hardware.drive.life", "Drive 0")).toBeGreaterThan(50);
    expect(value("hardware.health", "")).toBe(0);
    // Addresses of the range where nothing has ever answered are no failures.
    expect(platformFailures(db)).toEqual([]);
  });

  it("is a host of its own where nobody else knows it, and stays when its controller falls silent", async () => {
    await look();
    expect(currentComponents(db).map((row) => [row.kind, row.name])).toEqual([["host.unknown", "nq-virt-01"]]);
    server.closeAllConnections();
    await new Promise<void>((done) => server.close(() => done()));
    await look();
    expect(currentComponents(db)).toHaveLength(1);
    expect(platformFailures(db)).toMatchObject([{ place: "127.0.0.1", reason: "Nothing answers there." }]);
  });

  it("says that a password is wrong, and what a broken controller lacks", async () => {
    poller.stop();
    poller = makePoller("wrong");
    await look();
    expect(platformFailures(db)).toMatchObject([
      { place: "127.0.0.1", reason: "It does not take the user and password (401)." },
    ]);
    poller.stop();
    poller = makePoller("right");
    resources["/redfish/v1/Systems"] = { Members: [{ "@odata.id": "http://evil.example/redfish/v1/x" }] };
    await look();
    expect(platformFailures(db)[0]?.reason).toContain("which is none of its resources");
    // One part that cannot be read hides no other.
    resources = { ...controllerResources(estate.host("nq-virt-01") as never, "Halvane Works", AT) };
    delete resources["/redfish/v1/Chassis/1/Thermal"];
    await look();
    expect(platformFailures(db)).toEqual([]);
    expect(currentComponents(db)).toHaveLength(1);
  });

  it("tells once what is written into its log, but not what stood there at first", async () => {
    const list = "/redfish/v1/Managers/1/LogServices/Log/Entries";
    const entry = (id: string, severity: string, message: string) => ({
      "@odata.id": `${list}/${id}`,
      Id: id,
      Created: "2026-03-17T09:58:00Z",
      Severity: severity,
      Message: message,
    });
    const told = () =>
      db.prepare("SELECT kind, summary FROM change WHERE kind = 'event' ORDER BY id").all() as { summary: string }[];
    resources[list] = { Members: [entry("1", "Critical", "Fan 2 stood still.")] };
    await look();
    expect(told()).toEqual([]);
    resources[list] = {
      Members: [
        entry("1", "Critical", "Fan 2 stood still."),
        entry("2", "OK", "Somebody signed in."),
        { "@odata.id": `${list}/3` },
      ],
    };
    resources[`${list}/3`] = entry("3", "Warning", "Drive 0 predicts that it will fail.");
    await look();
    await look();
    expect(told().map((one) => one.summary)).toEqual([
      "nq-virt-01: Drive 0 predicts that it will fail. (warning, its own log)",
    ]);
  });

  it("ends collections that lead round in a circle", async () => {
    resources["/redfish/v1/Systems"] = { Members: [], "Members@odata.nextLink": "/redfish/v1/Systems" };
    await look();
    expect(platformFailures(db)[0]?.reason).toContain("It looks after no machine");
  });

  it("is tried by the Test button with the machine's own words", async () => {
    const { port } = server.address() as AddressInfo;
    const settings = { ranges: "127.0.0.1", except: "", port, protocol: "http" as const, authority: "" };
    const checked = await redfishDriver.check(settings, access("right"), new AbortController().signal, {} as never);
    expect(checked).toEqual({ ok: true, lines: ["127.0.0.1: nq-virt-01, Halvane Works Quayside 2U"] });
  });
});
