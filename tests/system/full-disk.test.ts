import { afterAll, beforeAll, expect, it } from "vitest";
import type { Engine } from "#server/engine/engine";
import { openStore } from "#server/store/database";
import { act, makeWorld, until } from "./world";

let world: Awaited<ReturnType<typeof makeWorld>>;
let engine: Engine;

beforeAll(async () => {
  world = await makeWorld({ pace: 20, net: 3, control: 17_073 });
  engine = world.openEngine();
  await engine.prepare(() => undefined);
  engine.start();
});
afterAll(async () => {
  await engine.close();
  await world.end();
});

const kept = () => world.ask("store", {}).samples;
const troubles = () => world.events.filter((event) => event.topic === "problem");

it("says that the disk is full, goes on watching, and loses no sample when there is room again", async () => {
  await until(
    "some live samples are kept",
    () => kept() > 0 && world.events.some((event) => event.topic === "tick" && event.samples > 0),
  );
  engine.db.exec("CREATE TABLE IF NOT EXISTS ballast (data BLOB) STRICT");
  // SQLite itself refuses to grow, as on a full disk.
  engine.db.pragma(`max_page_count = ${engine.db.pragma("page_count", { simple: true })}`);
  // What the engine gives back meanwhile is taken too, down to the last page.
  const fill = () => {
    for (const bytes of [65_536, 3_000])
      try {
        for (;;) engine.db.exec(`INSERT INTO ballast VALUES (zeroblob(${bytes}))`);
      } catch {
        // Full now.
      }
  };
  await until("it is told", () => {
    fill();
    return troubles().length > 0;
  });
  expect(troubles()[0]).toMatchObject({ message: expect.stringContaining("The disk is full") });
  await act(engine, "drill.act", { id: "front-leak", action: "start" });
  const begun = world.now();
  fill();
  const before = kept();
  await until("two minutes of the clock have gone by", () => {
    fill();
    return world.now() > begun + 120_000;
  });
  // A last half-filled page may still take a handful; a tick is hundreds.
  expect(kept() - before).toBeLessThan(200);
  // A tick that has next to nothing to write may find room in what is there: the next one does not.
  await until("it is told that it lasts", () => {
    fill();
    return troubles().at(-1)?.message?.includes("The disk is full");
  });
  engine.db.pragma("max_page_count = 1000000");
  await until("it is told that all is well again", () => troubles().at(-1)?.message === null && troubles().length > 1);
  const host = world
    .ask("find", { text: "t-web-01", atMs: world.now() })
    .components.find((one) => one.name === "t-web-01");
  const page = world.ask("component", { id: host?.id ?? 0, atMs: world.now(), fromMs: begun, toMs: begun + 120_000 });
  // All of these were measured while there was no room: up to one every 15 s of the clock, fewer on a busy machine.
  expect(page?.charts.find((chart) => chart.metric === "memory.used")?.legend.count).toBeGreaterThanOrEqual(4);
  await until(
    "the alarm of that time is raised after all",
    () => world.ask("incidents", { fromMs: begun, toMs: world.now(), state: "open" })[0],
  );
});

it("says that another program has locked the store, and goes on once it lets go", async () => {
  const before = troubles().length;
  // The engine waits on this thread, on which the other program of this test has to let go.
  engine.db.pragma("busy_timeout = 20");
  const other = openStore(engine.db.name, "writer");
  other.exec("BEGIN IMMEDIATE");
  await until("it is told", () => troubles().length > before);
  expect(troubles().at(-1)).toMatchObject({ message: expect.stringContaining("Another program has locked the store") });
  other.exec("ROLLBACK");
  other.close();
  await goesOn();
});

it("goes on when a tick fails for a reason that nobody foresaw, and tells of it", async () => {
  const before = troubles().length;
  engine.db.exec(
    "CREATE TRIGGER broken BEFORE UPDATE OF last_seen_at ON component BEGIN SELECT RAISE(ABORT, 'nobody foresaw this'); END",
  );
  await until("it is told", () => troubles().length > before);
  expect(troubles().at(-1)).toMatchObject({ message: expect.stringContaining("nobody foresaw this") });
  engine.db.exec("DROP TRIGGER broken");
  await goesOn();
});

/** Waits until the problem is over and ticks bring samples again. */
async function goesOn(): Promise<void> {
  await until("it is told that all is well again", () => troubles().at(-1)?.message === null);
  const from = world.events.length;
  await until("samples are judged and kept", () =>
    world.events.slice(from).some((event) => event.topic === "tick" && event.samples > 0),
  );
}
