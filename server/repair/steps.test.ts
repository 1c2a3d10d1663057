import { createServer, type IncomingMessage, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { layOut } from "#core/repair/lay-out";
import { runbookSchema } from "#core/repair/runbook";
import { useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import { insertCredential } from "../store/credentials";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { addVersion } from "../store/runbooks";
import { runById, stepsOfRun, touchedByRuns } from "../store/runs";
import { layWorld } from "./lay";
import { Runner } from "./runner";
import type { RunnerWorld } from "./world";

const START = Date.parse("2026-03-17T10:00:00Z");
const TOKEN = "sesame-sesame-1234";
let db: Db;
let writer: SampleWriter;
let now: number;
let door: Server;
let origin: string;
let called: string[];
/** How the door answers; "never" leaves the call open. */
let answers: (request: IncomingMessage) => { status: number; body: unknown } | "never";

useStore((made) => (db = made));
beforeAll(async () => {
  door = createServer((request, response) => {
    called.push(`${request.method} ${request.url}`);
    const answer = answers(request);
    if (answer === "never") return;
    response.writeHead(answer.status, { "content-type": "application/json" });
    response.end(JSON.stringify(answer.body));
  });
  await new Promise<void>((done) => door.listen(0, "127.0.0.1", done));
  origin = `http://127.0.0.1:${(door.address() as AddressInfo).port}`;
});
afterAll(() => {
  door.closeAllConnections();
  door.close();
});
beforeEach(() => {
  db.exec(
    `DELETE FROM run; DELETE FROM runbook; DELETE FROM change; DELETE FROM chunk; DELETE FROM series; DELETE FROM component_key;
     DELETE FROM component; DELETE FROM credential`,
  );
  writer = new SampleWriter(db);
  now = START;
  called = [];
  answers = () => ({ status: 200, body: { ok: true } });
});

const world = (more: Partial<RunnerWorld> = {}): RunnerWorld => ({
  db,
  sampleWriter: writer,
  now: () => now,
  sleep: async (ms) => {
    await new Promise((done) => setImmediate(done));
    now += ms;
  },
  machineMs: (ms) => ms,
  vault: { use: (one) => ({ ...one, fields: { token: TOKEN } }) as never, note: () => undefined },
  emit: () => undefined,
  reportProblem: () => undefined,
  ...more,
});
const forEver = () => new Promise<never>(() => undefined);
const host = (name = "h-1") =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "Room",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    START - 1000,
  );
const http = (path: string, more: object = {}) => ({ type: "http", title: path, url: `${origin}/${path}`, ...more });
const undo = (path: string) => ({ type: "http", method: "DELETE", url: `${origin}/${path}` });
const note = (text = "Done.") => ({ type: "note", title: "Say so", text });

function start(runner: Runner, steps: unknown[], targets = [host()]) {
  const definition = runbookSchema.parse({
    uid: "mend",
    name: "Mend it",
    purpose: "Mends.",
    kinds: ["host.linux"],
    steps,
  });
  const { id: runbookId, version } = addVersion(db, definition, {
    state: "approved",
    remark: "",
    by: "Anna",
    atMs: START,
  });
  const [componentId] = targets as [number];
  const laid = layOut(definition, componentId, {}, layWorld(db, targets, START));
  const common = { incidentId: null, policyId: null, args: {}, by: "Anna", rulings: [], watched: [] };
  return runner.start({ runbookId, version, definition, componentId, laid, ...common });
}
async function until(what: () => unknown) {
  const ends = Date.now() + 10_000;
  while (!what()) {
    if (Date.now() > ends) throw new Error("It did not come to that in time.");
    await new Promise((done) => setTimeout(done, 5));
  }
}
const over = (id: number) =>
  until(() => runById(db, id)?.state !== "running" && runById(db, id)?.rollback !== "running");
async function run(steps: unknown[], targets?: number[]) {
  const id = start(new Runner(world()), steps, targets);
  await over(id);
  return { run: runById(db, id), steps: stepsOfRun(db, id) };
}
const states = (steps: { state: string }[]) => steps.map((step) => step.state);

describe("what was done is taken back", () => {
  it("newest first, and only what was done, when a step says so", async () => {
    answers = (request) => ({ status: request.url === "/c" ? 500 : 200, body: {} });
    const { run: made, steps } = await run([
      http("a", { undo: undo("a") }),
      http("b", { undo: undo("b") }),
      http("c", { undo: undo("c"), onFailure: "rollback" }),
      http("d", { undo: undo("d") }),
    ]);
    expect(called).toEqual(["POST /a", "POST /b", "POST /c", "DELETE /b", "DELETE /a"]);
    expect(made).toMatchObject({
      state: "failed",
      rollback: "passed",
      message: "Step 3, “c”: It answered with status 500.",
    });
    expect(steps.filter((step) => step.branch === "undo").map((step) => [step.title, step.state])).toEqual([
      ["Take back: b", "passed"],
      ["Take back: a", "passed"],
    ]);
  });
  it("by hand, once, and says what could not be taken back", async () => {
    const runner = new Runner(world());
    const id = start(runner, [http("a", { undo: undo("a") }), http("b", { undo: undo("b") })]);
    await over(id);
    await until(() => runner.rollBack(id, "Ben"));
    answers = (request) => ({ status: request.method === "DELETE" ? 409 : 200, body: {} });
    await over(id);
    expect(runById(db, id)).toMatchObject({ state: "passed", rollback: "failed" });
    expect(runner.rollBack(id, "Ben")).toBe(false);
  });
});

describe("a step that fails", () => {
  it("is tried again so often, and borne where it says so", async () => {
    let tries = 0;
    answers = () => ({ status: ++tries < 3 ? 503 : 200, body: {} });
    const { run: made, steps } = await run([http("a", { retries: 2 })]);
    expect([made?.state, steps[0]?.tries]).toEqual(["passed", 2]);
    answers = () => ({ status: 503, body: {} });
    const borne = await run([http("a", { onFailure: "continue" }), note()], [host("h-2")]);
    expect(borne.run?.state).toBe("passed");
    expect(states(borne.steps)).toEqual(["borne", "passed"]);
  });
});

describe("an HTTP call", () => {
  it("is checked by a condition, and gives values to what follows", async () => {
    answers = (request) => ({ status: 200, body: request.url === "/list" ? { pools: [{ id: "p 7", size: 3 }] } : {} });
    const { run: made } = await run([
      http("list", { method: "GET", expect: "body.pools.size() == 1", take: { pool: "$.pools[0].id" } }),
      { ...http("x"), url: `${origin}/pools/{{values.pool}}/drain` },
    ]);
    expect(made?.state).toBe("passed");
    expect(called[1]).toBe("POST /pools/p%207/drain");
    const wrong = await run([http("list", { expect: "body.pools.size() == 2" })], [host("h-2")]);
    expect(wrong.run?.message).toContain("body.pools.size() == 2 does not hold of the answer.");
    const none = await run([http("list", { take: { x: "$.nothing" } })], [host("h-3")]);
    expect(none.run?.message).toContain("The answer has nothing at $.nothing.");
  });
  it("goes with a credential only where that is meant for, and never prints it", async () => {
    insertCredential(
      db,
      {
        name: "door",
        kind: "bearer",
        about: {},
        destinations: ["127.0.0.1"].join("\n"),
        sealed: "v1",
        madeBy: "Anna",
        isOwn: false,
      } as never,
      START,
    );
    answers = (request) => ({ status: 200, body: { you: request.headers.authorization } });
    const { run: made, steps } = await run([http("a", { credential: "door" })]);
    expect(made?.state).toBe("passed");
    expect(steps[0]?.output).toContain("Bearer •••");
    expect(JSON.stringify(steps)).not.toContain(TOKEN);
    const elsewhere = await run([{ ...http("a"), url: "http://localhost:1/", credential: "door" }], [host("h-2")]);
    expect(elsewhere.run?.message).toContain("door is not for localhost.");
    const unknown = await run([http("a", { credential: "nobody" })], [host("h-3")]);
    expect(unknown.run?.message).toContain("There is no credential “nobody”.");
  });
  it("that answers gigabytes is cut off", async () => {
    answers = () => ({ status: 200, body: "x".repeat(400_000) });
    const { run: made } = await run([http("a")]);
    expect(made?.state).toBe("failed");
  });
});

describe("several targets", () => {
  it("are gone over so many at a time", async () => {
    let open = 0;
    let most = 0;
    const runner = new Runner(
      world({
        sleep: async () => {
          most = Math.max(most, ++open);
          await new Promise((done) => setTimeout(done, 5));
          open--;
        },
      }),
    );
    const targets = Array.from({ length: 9 }, (_, index) => host(`h-${index}`));
    const each = {
      type: "each",
      title: "Each",
      over: "targets",
      atOnce: 3,
      steps: [{ type: "wait", title: "Wait", seconds: 1 }],
    };
    const id = start(runner, [each], targets);
    expect(touchedByRuns(db)[0]?.touches.sort()).toEqual([...targets].sort());
    await over(id);
    expect(most).toBe(3);
    expect(stepsOfRun(db, id).filter((step) => step.state === "passed")).toHaveLength(10);
  });
  it("stop at the first failure, or when more than a share failed", async () => {
    const targets = Array.from({ length: 10 }, (_, index) => host(`h-${index}`));
    const failing = new Set(["/h-2", "/h-4"]);
    answers = (request) => ({ status: failing.has(request.url ?? "") ? 500 : 200, body: {} });
    const each = (failedPercent: number) => ({
      type: "each",
      title: "Each",
      over: "targets",
      failedPercent,
      steps: [{ ...http("x"), url: `${origin}/{{target.name}}` }],
    });
    const first = await run([each(0)], targets);
    expect(first.run?.state).toBe("failed");
    expect(first.run?.message).toContain("h-2; 1 of 10 failed");
    expect(called).toHaveLength(3);
    const borne = await run([each(20)], targets);
    expect(borne.run?.state).toBe("passed");
    expect(borne.steps[0]?.message).toBe("2 of 10 failed.");
  });
});

describe("a choice", () => {
  it("goes one way by a figure, and leaves the other out", async () => {
    const target = host();
    const series = writer.series(
      { componentId: target, serviceId: null, resourceId: null },
      "memory.used",
      "",
      "%",
      now,
    );
    writer.record(series, now, 95);
    writer.commit("tick", () => undefined);
    const { steps } = await run(
      [
        {
          type: "choose",
          title: "Full?",
          if: 'figure("memory.used") > 90.0',
          do: [note("full")],
          otherwise: [note("fine")],
        },
      ],
      [target],
    );
    expect(steps.map((step) => [step.branch, step.state])).toEqual([
      ["", "passed"],
      ["do", "passed"],
      ["otherwise", "skipped"],
    ]);
  });
});

const approve = { type: "approve", title: "May it?", text: "Shall it?", withinMinutes: 10 };

describe("an approval", () => {
  it("lets the run go on when somebody says so, and ends it when they do not", async () => {
    for (const approved of [true, false]) {
      const runner = new Runner(world({ sleep: forEver }));
      const id = start(runner, [approve, note()], [host(`h-${approved}`)]);
      await until(() => stepsOfRun(db, id)[0]?.state === "asking");
      expect(runner.answer(id, 0, "Ben", approved)).toBe(true);
      await over(id);
      expect(runById(db, id)?.state).toBe(approved ? "passed" : "failed");
      expect(stepsOfRun(db, id)[0]).toMatchObject({ answered_by: "Ben" });
      // It asks only once.
      expect(runner.answer(id, 0, "Cleo", true)).toBe(false);
    }
  });
  it("ends the run when nobody answers in time, and hears nobody afterwards", async () => {
    const runner = new Runner(world());
    const id = start(runner, [approve, http("a")]);
    await over(id);
    expect(runById(db, id)?.message).toContain("Nobody approved it within 10 min.");
    expect(runner.answer(id, 0, "Ben", true)).toBe(false);
    expect(called).toEqual([]);
  });
});

describe("a run that was cut off by the end of the program", () => {
  /** Kills the program in the middle of a step: nothing of it goes on, and another takes up the store. */
  async function killedIn(step: unknown, reached: () => unknown) {
    const id = start(new Runner(world({ sleep: forEver })), [note(), step, note("After.")]);
    await until(() => stepsOfRun(db, id)[1]?.state !== "waiting" && reached());
    new Runner(world()).resume();
    await over(id);
    return { id, run: runById(db, id), steps: stepsOfRun(db, id) };
  }
  const begun = () => true;
  it("goes on with a wait", async () => {
    const { run: made, steps } = await killedIn({ type: "wait", title: "Wait", seconds: 60 }, begun);
    expect([made?.state, states(steps)]).toEqual(["passed", ["passed", "passed", "passed"]]);
  });
  it("goes on with a check", async () => {
    const { run: made } = await killedIn(
      { type: "check", title: "Check", condition: "target.name == 'nobody'", timeoutSeconds: 5 },
      begun,
    );
    expect(made?.message).toContain("still does not hold");
  });
  it("goes on waiting for an approval, until the time it had", async () => {
    const id = start(new Runner(world({ sleep: forEver })), [approve, note()]);
    await until(() => stepsOfRun(db, id)[0]?.state === "asking");
    const asked = stepsOfRun(db, id)[0]?.ask_until;
    now += 5 * 60_000;
    const runner = new Runner(world({ sleep: forEver }));
    runner.resume();
    await until(() => runner.answer(id, 0, "Ben", true));
    await over(id);
    expect(runById(db, id)?.state).toBe("passed");
    expect(stepsOfRun(db, id)[0]?.ask_until).toBe(asked);
  });
  it.each([
    ["an HTTP call", () => http("slow")],
    ["a step of each", () => ({ type: "each", title: "Each", over: "targets", steps: [http("slow")] })],
    ["a step of a choice", () => ({ type: "choose", title: "So?", if: "true", do: [http("slow")] })],
  ])("does not do %s again, and says that nobody knows", async (_what, step) => {
    answers = () => "never";
    const { run: made, steps } = await killedIn(step(), () => called.length > 0);
    expect(called).toHaveLength(1);
    expect(made).toMatchObject({ state: "stopped" });
    expect(made?.message).toMatch(/^It is not known whether step 2(\.1)?, “slow”, was carried out/);
    expect(steps.find((one) => one.position === made?.unknown_step)).toMatchObject({ state: "unknown", title: "slow" });
    expect(steps.at(-1)?.state).toBe("skipped");
  });
  it("and a rollback that was cut off is said to have been, and holds nothing back any more", async () => {
    const runner = new Runner(world());
    const id = start(runner, [http("a", { undo: undo("a") })]);
    await over(id);
    answers = () => "never";
    await until(() => runner.rollBack(id, "Ben"));
    await until(() => called.includes("DELETE /a"));
    expect(touchedByRuns(db)).toHaveLength(1);
    new Runner(world()).resume();
    expect(runById(db, id)).toMatchObject({ rollback: "failed", message: expect.stringContaining("Cut off while") });
    expect(stepsOfRun(db, id).at(-1)).toMatchObject({ branch: "undo", state: "unknown" });
    expect(touchedByRuns(db)).toEqual([]);
  });
  it("of the version before, which laid nothing out, is ended and says so", async () => {
    const id = start(new Runner(world({ sleep: forEver })), [{ type: "wait", title: "Wait", seconds: 60 }]);
    db.prepare("UPDATE run_step SET step = NULL WHERE run_id = ?").run(id);
    new Runner(world()).resume();
    expect(runById(db, id)).toMatchObject({ state: "stopped", message: expect.stringContaining("Cut off") });
  });
  it("ends in order: what only waits is left as it is", async () => {
    const runner = new Runner(
      world({ sleep: (_ms, signal) => new Promise((done) => signal.addEventListener("abort", () => done())) }),
    );
    const id = start(runner, [{ type: "wait", title: "Wait", seconds: 60 }, note()]);
    await until(() => stepsOfRun(db, id)[0]?.state === "running");
    await runner.stopAll();
    expect(runById(db, id)?.state).toBe("running");
    new Runner(world()).resume();
    await over(id);
    expect(runById(db, id)?.state).toBe("passed");
  });
});
