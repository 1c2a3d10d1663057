import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Engine } from "#server/engine/engine";
import { act, makeWorld, until } from "./world";

let world: Awaited<ReturnType<typeof makeWorld>>;
let engine: Engine;

beforeAll(async () => {
  world = await makeWorld({ pace: 1, net: 2, control: 17_072 });
  world.settings.historyMs = 0;
  engine = world.openEngine();
  await engine.prepare(() => undefined);
});
afterAll(async () => {
  await engine.close();
  await world.end();
});

const names = () =>
  world
    .ask("estate", {
      atMs: world.now(),
      search: "",
      kind: "",
      site: "",
      health: "",
      sort: "name",
      descending: false,
      page: 0,
      pageSize: 50,
    })
    .rows.map((row) => row.name);
const source = (changes: object) => ({
  name: "Other",
  site: "Room",
  ranges: "127.21.2.1-20",
  ports: "12222, 18080, 5432",
  snmpPort: 11_161,
  community: "test-room",
  pollSeconds: 60,
  ...changes,
});

describe("sweeps", () => {
  it("find everything once, and nothing changed the second time", async () => {
    const first = await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(world.ask("sweep", { id: first, outcome: "", page: 0 })).toMatchObject({
      sweep: { state: "done", tried: 20, answering: 3, recognised: 3, failed: 0 },
      found: { new: 6 },
    });
    const second = await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(world.ask("sweep", { id: second, outcome: "", page: 0 })?.found).toEqual({});
  });

  it("say why a host with another community cannot be read, and still keep its ports", async () => {
    const id = await act(engine, "source.save", { fields: source({ name: "Wrong community", community: "wrong" }) });
    const sweep = await act(engine, "sweep.start", { sourceId: id, wait: true });
    const page = world.ask("sweep", { id: sweep, outcome: "failed", page: 0 });
    expect(page?.sweep).toMatchObject({ answering: 2, recognised: 0, failed: 2 });
    expect(page?.findings[0]?.detail).toMatch(
      /not to SNMP on UDP 11161 with what this source may use\. Check its credentials/,
    );
  });

  it("say so when nothing answers at all", async () => {
    const id = await act(engine, "source.save", { fields: source({ name: "Nobody", ranges: "127.99.1.1-5" }) });
    const sweep = await act(engine, "sweep.start", { sourceId: id, wait: true });
    expect(world.ask("sweep", { id: sweep, outcome: "", page: 0 })?.sweep.message).toBe(
      "Nothing answered on 5 addresses. Check the range, and whether this machine can reach it.",
    );
  });

  it("keep what was found when they are stopped, and count nothing as missing then", async () => {
    const id = await act(engine, "source.save", {
      fields: source({ name: "Long", ranges: "127.21.2.1-20, 127.98.0.0/18" }),
    });
    const sweep = await act(engine, "sweep.start", { sourceId: id, wait: false });
    await expect(act(engine, "sweep.start", { sourceId: id, wait: false })).rejects.toThrow("is already running");
    await until(
      "it is on its way",
      () => (world.ask("sweep", { id: sweep, outcome: "", page: 0 })?.sweep.tried ?? 0) > 50,
    );
    await act(engine, "sweep.stop", { id: sweep });
    const page = await until("it stops", () => {
      const now = world.ask("sweep", { id: sweep, outcome: "", page: 0 });
      return now?.sweep.state === "stopped" ? now : undefined;
    });
    expect(page.sweep.message).toMatch(/Stopped by Test after \d+ addresses; what was found until then is kept\./);
    expect(page.found.missing).toBeUndefined();
  });

  it("retire a host at the second sweep in a row that misses it, and take it back when it returns", async () => {
    await act(engine, "drill.act", { id: "store-dark", action: "start" });
    await world.hostAnswers("t-db-01", false);
    await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(names()).toContain("t-db-01");
    const second = await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(
      world
        .ask("sweep", { id: second, outcome: "gone", page: 0 })
        ?.findings.map((finding) => finding.title)
        .sort(),
    ).toEqual(["postbag @ t-db-01", "quaystore @ t-db-01", "t-db-01"]);
    expect(names()).not.toContain("t-db-01");
    await act(engine, "drill.act", { id: "store-dark", action: "stop" });
    await world.hostAnswers("t-db-01", true);
    await until("its processes run", () =>
      world.estate
        .host("t-db-01")
        ?.software(world.now())
        .some((row) => row.name === "quaystore"),
    );
    const third = await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(
      world.ask("sweep", { id: third, outcome: "back", page: 0 })?.findings.map((finding) => finding.title),
    ).toContain("t-db-01");
    expect(names()).toContain("t-db-01");
  });

  it("never hand a community out", () => {
    expect(JSON.stringify(world.ask("discover", { atMs: world.now() }))).not.toMatch(/test-room|sealed/);
  });
});

describe("a restart", () => {
  it("goes on with the store as it was", async () => {
    const before = names();
    await engine.close();
    engine = world.openEngine();
    expect(names()).toEqual(before);
    expect(engine.itself().hosts).toBe(3);
  });

  it("refuses a clock set before what is kept", async () => {
    engine.start();
    await until("some samples are kept", () => world.ask("store", {}).samples > 0, 30_000);
    await engine.close();
    const early = { ...world.settings.clock, baseMs: world.settings.clock.baseMs - 90 * 86_400_000 };
    const { Engine: Again } = await import("#server/engine/engine");
    expect(() => new Again({ ...world.settings, clock: early }, () => undefined)).toThrow(
      /later --now, or begin anew with --fresh/,
    );
    engine = world.openEngine();
  });
});
