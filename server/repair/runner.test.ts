import { beforeEach, describe, expect, it } from "vitest";
import { layOut } from "#core/repair/lay-out";
import { runbookSchema, type Step } from "#core/repair/runbook";
import { useStore } from "../../tests/store";
import type { LiveEvent } from "../events";
import { SampleWriter } from "../ingest/sample-writer";
import { changesIn } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { incidentEvents, openIncident } from "../store/incidents";
import { insertResource } from "../store/resources";
import { addVersion } from "../store/runbooks";
import { runById, stepsOfRun, type NewRun } from "../store/runs";
import { layWorld } from "./lay";
import { Runner } from "./runner";

const START = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let writer: SampleWriter;
let now: number;
let events: LiveEvent[];
let runner: Runner;
/** What happens while the runner waits, one for each wait. */
let meanwhile: (() => void)[];
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM run_step; DELETE FROM run; DELETE FROM runbook; DELETE FROM incident_event; DELETE
     FROM incident; DELETE FROM change; DELETE FROM chunk; DELETE FROM series; DELETE FROM component_key; DELETE
     FROM component`,
  );
  writer = new SampleWriter(db);
  now = START;
  events = [];
  meanwhile = [];
  runner = new Runner({
    db,
    sampleWriter: writer,
    now: () => now,
    sleep: async (ms) => {
      await Promise.resolve();
      now += ms;
      meanwhile.shift()?.();
    },
    machineMs: (ms) => ms,
    vault: { use: () => ({ fields: {} }) as never, note: () => undefined },
    emit: (event) => events.push(event),
    reportProblem: () => undefined,
  });
});

const host = () =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name: "h-1",
      site: "Room",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: ["k:h-1"],
      facts: {},
    },
    START - 1000,
  );
const check = (more: Partial<Step> = {}): unknown => ({
  type: "check",
  title: "Memory is well again",
  metric: "memory.used",
  is: "below",
  value: 80,
  meanOf: 2,
  timeoutSeconds: 60,
  ...more,
});
const note = { type: "note", title: "Say so", text: "Look at the log." };

async function run(steps: unknown[], componentId = host(), incidentId: number | null = null) {
  const definition = runbookSchema.parse({
    uid: "mend",
    name: "Mend it",
    purpose: "Mends.",
    kinds: ["host.linux"],
    parameters: [],
    steps,
  });
  const id = runner.start(asked(definition, componentId, incidentId));
  await ended(id);
  return { id, run: runById(db, id), steps: stepsOfRun(db, id) };
}

function asked(
  definition: ReturnType<typeof runbookSchema.parse>,
  componentId: number,
  incidentId: number | null,
): NewRun {
  const { id: runbookId, version } = addVersion(db, definition, {
    state: "approved",
    remark: "",
    by: "Anna",
    atMs: START,
  });
  return {
    runbookId,
    version,
    definition,
    componentId,
    incidentId,
    policyId: null,
    args: {},
    by: "Anna",
    laid: layOut(definition, componentId, {}, layWorld(db, [componentId], START)),
    rulings: [],
    watched: [],
  };
}

async function ended(id: number) {
  while (runById(db, id)?.state === "running") await new Promise((done) => setImmediate(done));
}
function sample(componentId: number, value: number, resourceId: number | null = null) {
  const series = writer.series({ componentId, serviceId: null, resourceId }, "memory.used", "", "%", now);
  writer.record(series, now, value);
  writer.commit("tick", () => undefined);
}

describe("a run", () => {
  it("goes through its steps in order and stands on record with who began it", async () => {
    const componentId = host();
    const { run: made, steps } = await run([note, { type: "wait", title: "Wait", seconds: 30 }], componentId);
    expect(made).toMatchObject({ state: "passed", started_by: "Anna", message: null });
    expect(steps.map((step) => step.state)).toEqual(["passed", "passed"]);
    expect(steps[0]?.output).toContain("Look at the log.");
    expect(now).toBe(START + 30_000);
    expect(changesIn(db, 0, now + 1, 10)).toMatchObject([
      { kind: "runbook", component_id: componentId, by_whom: "Anna", summary: "Runbook “Mend it” started on h-1" },
    ]);
    expect(events.every((event) => event.topic === "run")).toBe(true);
  });
  it("stops at the step that fails and leaves the others out", async () => {
    const { run: made, steps } = await run([
      { type: "command", title: "Restart", argv: ["service", "x", "restart"] },
      note,
    ]);
    expect(made).toMatchObject({ state: "failed" });
    expect(made?.message).toBe(
      "Step 1, “Restart”: h-1 was not found by a source of ours, only reported by senders. An operator approves the host and its key first, on its page under “Access”.",
    );
    expect(steps.map((step) => step.state)).toEqual(["failed", "skipped"]);
  });
  it("is told on its incident, when it begins and how it ends", async () => {
    const incident = openIncident(db, { subject: "component:1", title: "x", severity: "major" }, START);
    await run([{ type: "wait", title: "Wait", seconds: 5 }], host(), incident);
    expect(
      incidentEvents(db, incident)
        .filter((event) => event.kind === "run")
        .map((event) => event.text),
    ).toEqual(["Runbook “Mend it” started on h-1", "Runbook “Mend it” ended well after 5 s"]);
  });
  it("ends at once when a person stops it, and says who", async () => {
    let id = 0;
    meanwhile = [() => runner.stop(id, "Ben")];
    const componentId = host();
    const definition = runbookSchema.parse({
      uid: "mend",
      name: "Mend it",
      purpose: "Mends.",
      kinds: ["host.linux"],
      parameters: [],
      steps: [{ type: "wait", title: "Wait", seconds: 600 }, note],
    });
    id = runner.start(asked(definition, componentId, null));
    await ended(id);
    expect(runById(db, id)).toMatchObject({ state: "stopped", message: "Stopped by Ben during step 1." });
    expect(stepsOfRun(db, id).map((step) => step.state)).toEqual(["stopped", "skipped"]);
    expect(runner.stop(id, "Ben")).toBe(false);
  });
});

describe("a check", () => {
  it("waits for enough samples of its own time, and passes by their mean", async () => {
    const componentId = host();
    sample(componentId, 95);
    now += 1000;
    const { run: made, steps } = await run(
      [check()],
      ((meanwhile = [() => sample(componentId, 90), () => sample(componentId, 70), () => sample(componentId, 60)]),
      componentId),
    );
    expect(made?.state).toBe("passed");
    expect(steps[0]?.output).toContain("mean of 2: 65.0 %");
    expect(steps[0]?.output).not.toContain("95");
  });
  it("fails with the last figure when the time is up", async () => {
    const componentId = host();
    sample(componentId, 95);
    now += 1000;
    meanwhile = Array.from({ length: 10 }, () => () => sample(componentId, 91));
    const { run: made } = await run([check({ timeoutSeconds: 10 } as Partial<Step>)], componentId);
    expect(made?.message).toBe(
      "Step 1, “Memory is well again”: Memory usage was still 91.0 % after 10 s; wanted below 80.0 %.",
    );
  });
  it("says so where nothing is measured", async () => {
    const { run: made } = await run([check()]);
    expect(made?.message).toContain("Memory usage is not measured on the target, so it cannot be checked.");
  });
  it("takes what an agent sends where nothing polls the host", async () => {
    const componentId = host();
    const resourceId = insertResource(db, "{}", { componentId, why: "" }, START);
    sample(componentId, 95, resourceId);
    now += 1000;
    meanwhile = [() => sample(componentId, 60, resourceId), () => sample(componentId, 61, resourceId)];
    const { run: made } = await run([check()], componentId);
    expect(made).toMatchObject({ state: "passed", message: null });
  });
});
