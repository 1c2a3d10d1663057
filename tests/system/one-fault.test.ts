import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Engine } from "#server/engine/engine";
import { act, makeWorld, until } from "./world";

let world: Awaited<ReturnType<typeof makeWorld>>;
let engine: Engine;

beforeAll(async () => {
  world = await makeWorld({ pace: 20, net: 1, control: 17_071 });
  engine = world.openEngine();
  await engine.prepare(() => undefined);
  engine.start();
});
afterAll(async () => {
  await engine.close();
  await world.end();
});

const component = (name: string) => {
  const found = world
    .ask("estate", {
      atMs: world.now(),
      search: name,
      kind: "",
      site: "",
      health: "",
      sort: "name",
      descending: false,
      page: 0,
      pageSize: 50,
    })
    .rows.find((row) => row.name === name);
  if (!found) throw new Error(`no component ${name}`);
  return found;
};

describe("one fault, end to end, over real sockets", () => {
  it("lives through its past at the first start: sweep, components, relations, samples", () => {
    const { rows, total } = world.ask("estate", {
      atMs: world.now(),
      search: "",
      kind: "",
      site: "",
      health: "",
      sort: "name",
      descending: false,
      page: 0,
      pageSize: 50,
    });
    expect(rows.map((row) => [row.name, row.kind])).toEqual([
      ["postbag @ t-db-01", "app.process"],
      ["quaystore @ t-db-01", "db.relational"],
      ["shopfront @ t-web-01", "app.web"],
      ["t-db-01", "host.linux"],
      ["t-sw-01", "net.switch"],
      ["t-web-01", "host.linux"],
    ]);
    expect(total).toBe(6);
    const page = world.ask("component", {
      id: component("t-web-01").id,
      atMs: world.now(),
      fromMs: world.now() - 5 * 3_600_000,
      toMs: world.now(),
    });
    expect(page?.called).toMatchObject([
      {
        own: { name: "shopfront @ t-web-01" },
        other: { name: "quaystore @ t-db-01" },
        detail: "tcp/5432",
        connections: 3,
        seenBy: "both",
      },
    ]);
    expect(page?.wired.map((wire) => wire.other.name)).toEqual(["t-sw-01"]);
    expect(page?.charts.find((chart) => chart.metric === "memory.used")?.legend.count).toBeGreaterThanOrEqual(59);
  });

  it("knows what the service is made of", () => {
    const service = world.ask("service", {
      uid: "orders",
      atMs: world.now(),
      fromMs: world.now() - 3_600_000,
      toMs: world.now(),
    });
    expect(service?.members.map((member) => member.name).sort()).toEqual([
      "quaystore @ t-db-01",
      "shopfront @ t-web-01",
      "t-db-01",
      "t-web-01",
    ]);
  });

  it("raises the alarm, opens the incident, repairs over SSH, and resolves", async () => {
    const host = component("t-web-01").id;
    // A server that has just begun catches up first: the fault is to be seen coming.
    await until("polls come regularly", () => {
      const [fromMs, toMs] = [world.now() - 120_000, world.now()];
      const page = world.ask("component", { id: host, atMs: toMs, fromMs, toMs });
      return (page?.charts.find((chart) => chart.metric === "memory.used")?.legend.count ?? 0) >= 6;
    });
    await act(engine, "drill.act", { id: "front-leak", action: "start" });
    await expect(act(engine, "drill.act", { id: "front-leak", action: "start" })).rejects.toThrow("running already");
    const begun = world.now();
    const open = () => world.ask("incidents", { fromMs: begun, toMs: world.now(), state: "open" });
    // That it will be full may be seen before the limit is passed: of the two the limit is critical.
    const incident = await until("an incident opens, and is critical", () =>
      open().find((one) => one.severity === "critical"),
    );
    expect(world.now() - begun).toBeLessThanOrEqual(150_000);
    expect(open()).toHaveLength(1);
    expect(incident).toMatchObject({ service: "Orders", title: "Orders: memory is running out on t-web-01" });
    await until(
      "the process table is kept",
      () => world.ask("incident", { id: incident.id, nowMs: world.now(), root: process.cwd() })?.snapshot,
    );
    const page = world.ask("incident", { id: incident.id, nowMs: world.now(), root: process.cwd() });
    expect(page?.sentence).toMatch(
      /^On t-web-01: memory usage at \d+\.\d % (?:\(mean of 5 samples\), above the limit of 90 %|reaches 97\.0 % in .* at the present trend)(?:; .*)? \(since .*\); shopfront alone held \d\d % of its memory\. Orders is affected/,
    );
    expect(page?.snapshot?.processes[0]?.name).toBe("shopfront");
    expect(page?.snapshot?.processes).toHaveLength(9);
    expect(page?.notes[0]?.title).toBe("Memory is running out");
    expect(page?.charts.map((chart) => chart.metric)).toEqual(
      expect.arrayContaining(["memory.used", "process.memory", "orders_per_hour"]),
    );
    expect(page?.timeline.some((entry) => /memory usage/i.test(entry.text))).toBe(true);
    const offer = page?.runbooks[0];
    expect(offer).toMatchObject({ name: "Restart a service", fits: true, args: { process: "shopfront" } });

    const run = await act(engine, "run.start", {
      runbookId: offer?.id ?? 0,
      componentIds: [host],
      atOnce: 1,
      failedPercent: 0,
      incidentId: incident.id,
      args: { process: "shopfront" },
    });
    await expect(
      act(engine, "run.start", {
        runbookId: offer?.id ?? 0,
        componentIds: [host],
        atOnce: 1,
        failedPercent: 0,
        incidentId: null,
        args: { process: "shopfront" },
      }),
    ).rejects.toThrow(`Run ${run} is running on t-web-01`);
    const ended = await until("the run ends", () => {
      const now = world.ask("run", { id: run });
      return now && now.run.state !== "running" ? now : undefined;
    });
    expect(ended.run).toMatchObject({ state: "passed", started_by: "Test", message: null });
    expect(ended.steps.map((step) => step.state)).toEqual(["passed", "passed", "passed", "passed", "passed", "passed"]);
    expect(ended.steps[2]).toMatchObject({ command: "service shopfront restart", exit_code: 0 });
    expect(ended.steps[2]?.output).toMatch(/Stopping shopfront \(pid \d+\)\nStarting shopfront\nshopfront is running/);
    expect(ended.steps[4]?.output).toContain("wanted: below 66.0 %");

    await until(
      "the incident resolves",
      () => world.ask("incident", { id: incident.id, nowMs: world.now(), root: process.cwd() })?.isOpen === false,
    );
    const after = world.ask("incident", { id: incident.id, nowMs: world.now(), root: process.cwd() });
    expect(after?.alarms.every((alarm) => alarm.cleared_at !== null)).toBe(true);
    expect(after?.alarms.some((alarm) => alarm.worst === "critical")).toBe(true);
    expect(after?.sentence).toContain("Orders was affected");
    // Looking back at its beginning, and before it.
    // The service is measured: it is hurt, or it only relies on what is unwell.
    const then = world.ask("watch", { atMs: (after?.incident.opened_at ?? 0) + 1000, volumeOf: "" }).services[0];
    expect(then?.severity === "cleared" ? then.relies : then?.reason).toContain("t-web-01");
    expect(world.ask("map", { atMs: begun - 60_000, service: "orders" }).unwell).toBe(0);
    expect(world.ask("watch", { atMs: begun - 3_600_000, volumeOf: "" }).incidents).toEqual([]);
  });

  it("finds a host that went dark by itself, and clears when it is back", async () => {
    await act(engine, "drill.act", { id: "store-dark", action: "start" });
    const begun = world.now();
    const dark = await until("an alarm for the dark host", () =>
      world
        .ask("incidents", { fromMs: begun, toMs: world.now(), state: "open" })
        .find((row) => row.title.includes("not responding on t-db-01")),
    );
    expect(dark.severity).toBe("critical");
    await act(engine, "drill.act", { id: "store-dark", action: "stop" });
    await until(
      "it clears",
      () => world.ask("incident", { id: dark.id, nowMs: world.now(), root: process.cwd() })?.isOpen === false,
    );
  });

  it("refuses what cannot be done, with a sentence", async () => {
    const host = component("t-web-01").id;
    const run = (args: Record<string, string>, componentId = host, runbookId = 1) =>
      act(engine, "run.start", {
        runbookId,
        componentIds: [componentId],
        atOnce: 1,
        failedPercent: 0,
        incidentId: null,
        args,
      });
    await expect(run({ process: "x; reboot" })).rejects.toThrow(/characters that are not allowed/);
    await expect(run({})).rejects.toThrow(/Process to restart is missing/);
    await expect(run({ process: "shopfront" }, component("t-sw-01").id)).rejects.toThrow(/t-sw-01 is net\.switch/);
    await expect(run({ process: "shopfront" }, 99_999)).rejects.toThrow(/Choose a component/);
    await expect(run({ process: "shopfront" }, host, 99)).rejects.toThrow(/does not exist/);
    await expect(
      act(engine, "source.save", {
        fields: {
          name: "Room",
          site: "x",
          ranges: "127.21.9.1",
          ports: "22",
          snmpPort: 161,
          community: "c",
          pollSeconds: 60,
        },
      }),
    ).rejects.toThrow(/already/);
    await expect(act(engine, "sweep.start", { sourceId: 999, wait: false })).rejects.toThrow(/does not exist/);
    await expect(act(engine, "incident.note", { id: 999, text: "x" })).rejects.toThrow(/does not exist/);
  });

  it("fails a run with the reason when the host does not know the process", async () => {
    const run = await act(engine, "run.start", {
      runbookId: 1,
      componentIds: [component("t-db-01").id],
      atOnce: 1,
      failedPercent: 0,
      incidentId: null,
      args: { process: "nothing-here" },
    });
    const ended = await until("the run ends", () => {
      const now = world.ask("run", { id: run });
      return now && now.run.state !== "running" ? now : undefined;
    });
    expect(ended.run).toMatchObject({
      state: "failed",
      message: "Step 1, “Check that it is running”: The command ended with exit code 4.",
    });
    expect(ended.steps.slice(1).every((step) => step.state === "skipped")).toBe(true);
  });

  it("stops a run by hand", async () => {
    const run = await act(engine, "run.start", {
      runbookId: 1,
      componentIds: [component("t-db-01").id],
      atOnce: 1,
      failedPercent: 0,
      incidentId: null,
      args: { process: "postbag" },
    });
    await until("it gets to work", () => world.ask("run", { id: run })?.steps[0]?.started_at);
    expect(await act(engine, "run.stop", { id: run })).toBe(true);
    const ended = await until("the run ends", () => {
      const now = world.ask("run", { id: run });
      return now && now.run.state !== "running" ? now : undefined;
    });
    expect(ended.run.state).toBe("stopped");
    expect(await act(engine, "run.stop", { id: run })).toBe(false);
  });
});
