import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { policySchema } from "#core/repair/policy";
import { runbookSchema } from "#core/repair/runbook";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import { raiseAlarm, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import {
  affectServices,
  incidentById,
  incidentEvents,
  joinIncident,
  openIncident,
  updateIncident,
} from "../store/incidents";
import { actsOfIncident, policyById, savePolicy, writeHalt } from "../store/policies";
import { addVersion } from "../store/runbooks";
import { runById, runsOfIncident, stepsOfRun } from "../store/runs";
import { listServices, saveService, writeMembers } from "../store/services";
import { Policies } from "./policies";
import { prepareRun } from "./prepare";
import { Runner } from "./runner";
import { proofOfRun, watchedFigures, type CallsSince } from "./watched";
import type { RunnerWorld } from "./world";

const START = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let writer: SampleWriter;
let now: number;
let door: Server;
let origin: string;
let called: string[];
let status: number;
let world: RunnerWorld;
let runner: Runner;
let policies: Policies;
useStore((made) => (db = made));
beforeAll(async () => {
  door = createServer((request, response) => {
    called.push(`${request.method} ${request.url}`);
    response.writeHead(status);
    response.end("{}");
  });
  await new Promise<void>((done) => door.listen(0, "127.0.0.1", done));
  origin = `http://127.0.0.1:${(door.address() as AddressInfo).port}`;
});
afterAll(() => void door.close());

let host: number;
let parser: number;
let rule: number;
beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM policy; DELETE FROM run; DELETE FROM runbook; DELETE FROM incident; DELETE FROM alarm; DELETE FROM rule; DELETE FROM service",
  );
  writeHalt(db, null);
  [now, called, status] = [START, [], 200];
  writer = new SampleWriter(db);
  world = {
    db,
    sampleWriter: writer,
    now: () => now,
    sleep: async (ms, signal) => {
      const until = now + ms;
      while (now < until && !signal.aborted) await new Promise((done) => setTimeout(done, 1));
    },
    machineMs: (ms) => ms,
    vault: { use: () => ({ fields: {} }) as never, note: () => undefined },
    emit: () => undefined,
    reportProblem: () => undefined,
  };
  begin();
  host = component("host.linux", "h-1", null, null);
  parser = component("app.process", "parser @ h-1", host, "parser");
  saveService(db, { uid: "orders", name: "Orders", purpose: "", owner: "", entries: [] }, START - 72 * HOUR_MS);
  writeMembers(db, orders(), new Set([parser]), new Set([parser]), START - 72 * HOUR_MS);
  rule = saveRule(db, undefined, {
    name: "Memory",
    type: "threshold",
    settings: {},
    scope: { subject: "component", kind: "host.*" },
    enabled: true,
  });
  addVersion(
    db,
    runbookSchema.parse({
      uid: "restart",
      name: "Restart",
      purpose: "Restarts.",
      kinds: ["host.*", "app.*"],
      parameters: [{ name: "process", label: "Process" }],
      proofSeconds: 120,
      steps: [
        {
          type: "http",
          title: "Restart it",
          url: `${origin}/restart/{{process}}`,
          undo: { type: "http", url: `${origin}/undo/{{process}}` },
        },
      ],
    }),
    { state: "approved", remark: "", by: "Anna", atMs: START },
  );
});
const orders = () => listServices(db)[0]?.id as number;

/** As after a start: nothing but what is on record is known. */
function begin() {
  runner = new Runner(world, (run) => policies.ended(run));
  policies = new Policies({ world, runner, plannedWork: () => null, onIncident: () => undefined });
}
const component = (kind: string, name: string, hostId: number | null, process: string | null) =>
  insertComponent(
    db,
    {
      kind,
      name,
      site: "Room",
      sourceId: null,
      hostId,
      address: "127.0.0.1",
      reason: "",
      keys: [`k:${name}`],
      facts: {},
      process,
    } as never,
    START - 72 * HOUR_MS,
  );

let series: number;
function incident(probability = 0.9): number {
  const made = writer.series({ componentId: host, serviceId: null, resourceId: null }, "memory.used", "", "%", START);
  series = made.id;
  for (let at = START - 40 * MINUTE_MS; at <= START; at += MINUTE_MS)
    writer.record(made, at, at < START - 5 * MINUTE_MS ? 50 : 95);
  writer.commit("everything", () => undefined);
  const alarm = raiseAlarm(
    db,
    {
      subject: { type: "component", id: host },
      ruleId: rule,
      seriesId: series,
      detector: "threshold",
      metric: "memory.used",
      direction: "above",
      qualifier: "",
      severity: "major",
      text: "Memory usage at 95 %",
      score: 90,
      onsetMs: START - 5 * MINUTE_MS,
    },
    START - MINUTE_MS,
  );
  const id = openIncident(
    db,
    { subject: `component:${host}`, title: "Memory is running out on h-1", severity: "major" },
    START - MINUTE_MS,
  );
  joinIncident(db, id, alarm, "first", START - MINUTE_MS);
  affectServices(db, id, [orders()]);
  const cause = { componentId: parser, serviceId: null, line: null, name: "parser @ h-1", probability, isRoot: true };
  updateIncident(db, id, {
    title: "Memory is running out on h-1",
    severity: "major",
    worst: "major",
    suspectAlarmId: alarm,
    suspectReasons: [],
    causes: [{ ...cause, explains: [alarm], unexplained: [], reasons: [] }],
  });
  return id;
}
const policy = (more: object = {}) =>
  savePolicy(
    db,
    undefined,
    policySchema.parse({
      name: "Restart what leaks",
      level: "automatic",
      causeKinds: ["app.*"],
      alarms: ["memory.*"],
      runbook: "restart",
      args: { process: "{{cause.process}}" },
      steadySeconds: 0,
      limits: { mostHurt: 5 },
      ...more,
    }),
    "Anna",
    START,
  );
/** Lets a minute pass in ticks of five seconds, and whatever is under way come to its end. */
async function minutes(count: number) {
  for (let tick = 0; tick < count * 12; tick++) {
    now += 5000;
    policies.work(now);
    // A run that was begun is over before the clock goes on.
    do await new Promise((done) => setTimeout(done, 2));
    while (runsUnderWay());
  }
}
const runsUnderWay = () =>
  db
    .prepare(
      `SELECT count(*) FROM run r WHERE r.rollback = 'running' OR (r.state = 'running' AND r.started_by <> 'Ben'
         AND NOT EXISTS (SELECT 1 FROM run_step s WHERE s.run_id = r.id AND s.state = 'asking'))`,
    )
    .pluck()
    .get() !== 0;
const figure = (value: number, count = 3) => {
  const made = writer.series({ componentId: host, serviceId: null, resourceId: null }, "memory.used", "", "%", now);
  for (let index = 0; index < count; index++) writer.record(made, now + 1 + index, value);
  writer.commit("everything", () => undefined);
};
const acts = (id: number) => actsOfIncident(db, id).map((act) => act.did);
const said = (id: number) => incidentEvents(db, id).map((event) => event.text);

describe("how far a policy is trusted", () => {
  it.each([
    ["watch", ["would"], 0],
    ["propose", ["proposed"], 0],
    ["approve", ["asked"], 0],
    ["automatic", ["started"], 1],
  ] as const)("%s", async (level, did, calls) => {
    policy({ level });
    const id = incident();
    await minutes(1);
    expect(acts(id)).toEqual(did);
    expect(called).toHaveLength(calls);
    if (calls) expect(called).toEqual(["POST /restart/parser"]);
  });
  it("with approval, runs when somebody gave it", async () => {
    policy({ level: "approve" });
    const id = incident();
    await minutes(1);
    const [run] = runsOfIncident(db, id);
    expect(stepsOfRun(db, run?.id as number)[0]).toMatchObject({
      state: "asking",
      title: "Policy “Restart what leaks” asks",
    });
    expect(runner.answer(run?.id as number, 0, "Mara", true)).toBe(true);
    await minutes(1);
    expect(called).toEqual(["POST /restart/parser"]);
  });
});

describe("a policy that goes by an alarm", () => {
  const byAlarm = (more: object = {}) =>
    policy({ by: "alarm", causeKinds: ["host.*"], alarms: ["memory.*"], args: { process: "tidelog" }, ...more });

  it("acts on what has the alarm, whatever the cause is taken for", async () => {
    byAlarm();
    const id = incident(0.1);
    await minutes(1);
    expect(acts(id)).toEqual(["started"]);
    expect(called).toEqual(["POST /restart/tidelog"]);
    expect(actsOfIncident(db, id)[0]).toMatchObject({
      component: "h-1",
      why: expect.stringMatching(/^memory\.\* of .*has been in alarm for/),
    });
  });
  it("waits until it has stood for as long as asked, and leaves others alone", async () => {
    byAlarm({ steadySeconds: 300 });
    byAlarm({ name: "Of another", alarms: ["disk.*"] });
    byAlarm({ name: "Of no alarm", alarms: [] });
    byAlarm({ name: "Of another kind", causeKinds: ["db.*"] });
    const id = incident();
    await minutes(3);
    expect(acts(id)).toEqual([]);
    await minutes(2);
    expect(called).toEqual(["POST /restart/tidelog"]);
  });
  it("does nothing when the alarm is cleared", async () => {
    byAlarm({ steadySeconds: 120 });
    const id = incident();
    db.prepare("UPDATE alarm SET cleared_at = ?").run(now);
    await minutes(4);
    expect(acts(id)).toEqual([]);
  });
});

describe("an automatic act", () => {
  it("is proved, and resolves its incident when nothing stands any more", async () => {
    policy();
    const id = incident();
    await minutes(1);
    expect(runsOfIncident(db, id)[0]).toMatchObject({
      state: "passed",
      proof: "watching",
      policy: "Restart what leaks",
    });
    figure(51);
    db.prepare("UPDATE alarm SET cleared_at = ?").run(now);
    await minutes(1);
    expect(runsOfIncident(db, id)[0]).toMatchObject({ proof: "proved" });
    expect(incidentById(db, id)?.resolved_at).not.toBeNull();
    expect(said(id).at(-1)).toMatch(/^Resolved: run \d+ is proved$/);
    // Once proved it is not done again.
    await minutes(15);
    expect(called).toHaveLength(1);
  });
  it("is proved, and no other policy repairs the same while its alarms are still to clear", async () => {
    policy();
    policy({ name: "Restart what is slow", limits: { mostHurt: 5, coolDownMinutes: 1 } });
    const id = incident();
    await minutes(1);
    figure(51);
    await minutes(8);
    expect(runsOfIncident(db, id)[0]).toMatchObject({ proof: "proved" });
    expect(called).toHaveLength(1);
    // An alarm that stands for so long after all tells that it was not well.
    await minutes(4);
    expect(called).toHaveLength(2);
  });
  it("is proved, and what is raised there afterwards is repaired again", async () => {
    policy();
    policy({ name: "Restart what is slow", limits: { mostHurt: 5, coolDownMinutes: 1 } });
    const id = incident();
    await minutes(1);
    figure(51);
    await minutes(1);
    expect(runsOfIncident(db, id)[0]).toMatchObject({ proof: "proved" });
    db.prepare("UPDATE alarm SET raised_at = ?").run(now);
    await minutes(3);
    expect(called).toHaveLength(2);
  });
  /** The likeliest cause is another from now on. */
  const blame = (componentId: number, name: string, probability: number) => {
    const root = { componentId, serviceId: null, line: null, name, probability, isRoot: true };
    db.prepare("UPDATE incident SET causes = ?").run(
      JSON.stringify([{ ...root, explains: [], unexplained: [], reasons: [] }]),
    );
  };
  const bringBack = { name: "Bring it back", causeKinds: ["host.*"], alarms: [], args: { process: "all" } };
  it.each([
    ["begins anew with another cause", false, 0],
    ["goes on with another cause on the same host, where the policy counts those together", true, 1],
  ])("comes after a cause has stood, which %s", async (_, countsHost, acts) => {
    policy({ countsHost, steadySeconds: 30, limits: { mostHurt: 5 } });
    incident();
    blame(host, "h-1", 0.9);
    await minutes(0.25);
    blame(parser, "parser @ h-1", 0.9);
    await minutes(0.4);
    expect(called).toHaveLength(acts);
  });
  it("is not waited for once the likeliest cause is elsewhere and nothing is better", async () => {
    const elsewhere = component("host.linux", "h-2", null, null);
    policy({ limits: { mostHurt: 5, coolDownMinutes: 60 } });
    policy(bringBack);
    const id = incident();
    await minutes(0.5);
    expect(called).toEqual(["POST /restart/parser"]);
    figure(95);
    blame(elsewhere, "h-2", 0.9);
    await minutes(1);
    expect(called).toHaveLength(1);
    await minutes(0.25);
    expect(called).toEqual(["POST /restart/parser", "POST /restart/all"]);
    expect(runsOfIncident(db, id).find((run) => run.component_id === parser)).toMatchObject({ proof: "no effect" });
    expect(said(id).join()).toContain("By now the likeliest cause is h-2.");
  });
  it.each<[string, { probability?: number; same?: true; values?: number[]; cleared?: true }]>([
    ["it is better since", { values: [75, 75] }],
    ["nobody knows yet how it is since", { values: [] }],
    ["another alarm of the incident cleared since", { cleared: true }],
    ["the other is not likely enough", { probability: 0.6 }],
    ["the other is on the same host", { same: true }],
  ])("is waited for where %s", async (_, { probability = 0.9, same, values = [95, 95], cleared }) => {
    const other = component("host.linux", "h-2", null, null);
    policy({ limits: { mostHurt: 5, coolDownMinutes: 60 } });
    policy({ ...bringBack, leastPercent: 1 });
    const id = incident();
    await minutes(0.5);
    for (const value of values) figure(value, 1);
    if (cleared) {
      db.prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
           text, onset_at, raised_at, changed_at, cleared_at) VALUES ('component', ?, 'calls', 'calls.slow', 'above',
           'calls.slow.high', '', 'cleared', 'major', '', 0, 0, 0, ?)`,
      ).run(host, now + 1);
      joinIncident(db, id, db.prepare("SELECT max(id) FROM alarm").pluck().get() as number, "too", now);
    }
    if (same) blame(host, "h-1", probability);
    else blame(other, "h-2", probability);
    await minutes(1.25);
    expect(runsOfIncident(db, id)[0]).toMatchObject({ proof: "watching" });
    expect(called).toHaveLength(1);
  });
  it("is not held against itself as one start more", async () => {
    const id = incident();
    db.prepare("UPDATE alarm SET metric = 'process.restarts'").run();
    expect(watchedFigures(db, id, host, now)).toEqual([]);
    db.prepare("UPDATE alarm SET metric = 'memory.used'").run();
    expect(watchedFigures(db, id, host, now)).toHaveLength(1);
  });
  it("that made it worse is taken back, and the policy is trusted less", async () => {
    const one = policy();
    const id = incident();
    await minutes(1);
    figure(130);
    await minutes(3);
    expect(runsOfIncident(db, id)[0]).toMatchObject({ proof: "worse", rollback: "passed" });
    expect(called).toEqual(["POST /restart/parser", "POST /undo/parser"]);
    expect(policyById(db, one)).toMatchObject({ fell_back_why: expect.stringContaining("made it worse") });
    expect(policyById(db, one)?.definition.level).toBe("approve");
  });
  it("that failed makes the policy trusted less", async () => {
    const one = policy();
    status = 500;
    incident();
    await minutes(1);
    expect(policyById(db, one)?.definition.level).toBe("approve");
  });
  it("without effect is tried again after the cool-down, then it gives up and says so", async () => {
    policy({ limits: { mostHurt: 5, tries: 2, coolDownMinutes: 10 } });
    const id = incident();
    await minutes(1);
    figure(95);
    await minutes(5);
    expect(called).toHaveLength(1);
    // A start in between changes nothing: it is on record.
    begin();
    await minutes(10);
    expect(called).toHaveLength(2);
    figure(95);
    await minutes(20);
    expect(called).toHaveLength(2);
    expect(runsOfIncident(db, id).map((run) => run.proof)).toEqual(["no effect", "no effect"]);
  });
  it("is held back while everything automatic is stopped, which is on record once, and goes on afterwards", async () => {
    policy();
    writeHalt(db, { by: "Mara", atMs: now, why: "" });
    const id = incident();
    await minutes(2);
    expect(acts(id)).toEqual(["held"]);
    expect(
      actsOfIncident(db, id)[0]
        ?.rulings.filter((one) => one.holds)
        .map((one) => one.words),
    ).toEqual(["Mara stopped all automatic acts"]);
    expect(called).toEqual([]);
    writeHalt(db, null);
    await minutes(1);
    expect(acts(id)).toEqual(["started"]);
    const held = /; held back for \d+ (s|min)( \d+ s)? before, because Mara stopped all automatic acts$/;
    expect(actsOfIncident(db, id)[0]?.why).toMatch(held);
    expect(incidentEvents(db, id).map((one) => one.text)).toContainEqual(expect.stringMatching(held));
  });
  it("waits while another run touches the same part", async () => {
    policy();
    const id = incident();
    db.prepare(
      "INSERT INTO run (runbook_id, definition, component_id, args, state, started_by, started_at) SELECT id, definition, ?, '{}', 'running', 'Ben', ? FROM runbook",
    ).run(parser, now);
    db.prepare("INSERT INTO run_target SELECT id, component_id FROM run").run();
    await minutes(1);
    expect(acts(id)).toEqual(["held"]);
    db.exec("UPDATE run SET state = 'passed'");
  });
  it("is not done where the cause is unsure, changed a moment ago, or hurts nobody", async () => {
    policy({ steadySeconds: 120 });
    const unsure = incident(0.3);
    await minutes(5);
    expect(acts(unsure)).toEqual([]);
  });
});

const asked = (more: object = {}) => ({
  runbook: {
    id: 1,
    name: "Restart",
    version: 1,
    definition: runbookSchema.parse({
      uid: "xx",
      name: "X",
      purpose: "X.",
      kinds: ["app.*"],
      steps: [{ type: "note", title: "n", text: "n" }],
      ...more,
    }),
  },
  componentIds: [parser],
  atOnce: 1,
  failedPercent: 0,
  incidentId: null,
  policyId: null,
  args: {},
  by: "Anna",
});

describe("looking a run over", () => {
  const prepared =
    (more: object = {}, other: object = {}) =>
    () =>
      prepareRun(world, { ...asked(more), ...other }, () => null);
  it("refuses what is not for it, what is gone, and what must be true before and is not", () => {
    expect(prepared({}, { componentIds: [] })).toThrow("Choose a component");
    expect(prepared({}, { componentIds: [999] })).toThrow("Choose a component");
    expect(prepared({}, { componentIds: [host] })).toThrow("h-1 is host.linux. Choose another target.");
    expect(prepared({}, { args: { oops: "1" } })).toThrow("no parameter “oops”");
    expect(prepared({ before: { wellSiblings: 1 } })).toThrow("0 of those that stand in for parser @ h-1 respond");
    expect(prepared({ before: { condition: 'figure("memory.used") > 99.0' } })).toThrow(
      "does not hold of parser @ h-1",
    );
    expect(prepared({ before: { responds: true } })().held).toBe(true);
  });
  it("warns of what a policy would be held back by: nothing stands in, and its service would go down", () => {
    const { rulings } = prepared()();
    expect(rulings.filter((one) => one.holds).map((one) => one.guardrail)).toEqual(["hurt"]);
    expect(rulings.find((one) => one.guardrail === "redundancy")?.words).toBe("Nothing stands in for parser @ h-1");
  });
});

describe("what shows whether a run helped", () => {
  it("is what stands, where nothing of it is near the target or explained by it any more", () => {
    const id = incident();
    db.prepare("UPDATE alarm SET subject_id = ?").run(component("host.linux", "h-2", null, null));
    db.prepare("UPDATE incident SET causes = json_set(causes, '$[0].explains', json('[999]'))").run();
    expect(watchedFigures(db, id, parser, START).map(({ name }) => name)).toEqual(["Memory usage of h-2"]);
  });
  it("is no worse for what was told of before the run ended, whenever it began", async () => {
    const id = incident();
    const { run } = prepareRun(world, { ...asked(), componentIds: [parser], incidentId: id }, () => null);
    const runId = runner.start(run);
    await minutes(1);
    const ended = runById(db, runId);
    if (!ended?.ended_at) throw new Error("It did not end.");
    const endedAt = ended.ended_at;
    const loud = (raisedMs: number) =>
      db
        .prepare(
          `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
             text, onset_at, raised_at, changed_at) VALUES ('component', ?, 'calls', 'calls.failing', 'above',
             'calls.failing.high', '', 'major', 'major', '', ?, ?, ?)`,
        )
        .run(parser, endedAt + 3000, raisedMs, raisedMs).lastInsertRowid;
    const proof = () => proofOfRun(db, { ...ended, proof_until: endedAt + 1 }, endedAt + 200_000).proof;
    const early = loud(endedAt - 2000);
    expect(proof()).not.toBe("worse");
    db.prepare("DELETE FROM alarm WHERE id = ?").run(early);
    loud(endedAt + 4000);
    expect(proof()).toBe("worse");
  });
  it("is what its callers see of it, where it is called too seldom itself", async () => {
    const id = incident();
    const caller = component("app.web", "front @ h-2", component("host.linux", "h-2", null, null), "front");
    db.prepare("UPDATE alarm SET subject_id = ?, series_id = NULL, detector = 'calls', metric = 'calls.failing'").run(
      parser,
    );
    db.prepare(
      `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
         text, onset_at, raised_at, changed_at) VALUES ('component', ?, 'calls', 'calls.failing', 'above',
         'calls.failing.high', '', 'major', 'major', '', 0, 0, 0)`,
    ).run(caller);
    const other = db.prepare("SELECT max(id) FROM alarm").pluck().get() as number;
    joinIncident(db, id, other, "too", now);
    expect(watchedFigures(db, id, parser, START)).toHaveLength(1);
    const explained = db.prepare("SELECT json_group_array(id) FROM alarm").pluck().get();
    db.prepare("UPDATE incident SET causes = json_set(causes, '$[0].explains', json(?))").run(explained);
    expect(watchedFigures(db, id, parser, START).map(({ name, isWitness }) => [name, isWitness])).toEqual([
      ["Failing calls of parser @ h-1", undefined],
      ["Failing calls of front @ h-2", true],
    ]);
    const { run } = prepareRun(world, { ...asked(), componentIds: [parser], incidentId: id }, () => null);
    const runId = runner.start(run);
    await minutes(1);
    const ended = runById(db, runId);
    if (!ended?.ended_at) throw new Error("It did not end.");
    const proof = (callsSince: CallsSince, afterMs: number) =>
      proofOfRun(db, ended, (ended.ended_at as number) + afterMs, callsSince);
    const well: CallsSince = ({ subject }) =>
      subject.id === caller ? { calls: 80, bad: 0, isEased: true } : undefined;
    const bad: CallsSince = ({ subject }) =>
      subject.id === caller ? { calls: 80, bad: 40, isEased: false } : undefined;
    expect(proof(well, 70_000)).toEqual({
      proof: "proved",
      words: "After 1 min 10 s Failing calls of front @ h-2: 0 of 80 calls since.",
    });
    expect(proof(well, 30_000).proof).toBe("watching");
    expect(proof(bad, 70_000).proof).toBe("watching");
    expect(proof(() => undefined, 70_000).proof).toBe("watching");
  });
  it("is not measured when all of it had cleared before", async () => {
    const id = incident();
    db.prepare("UPDATE alarm SET cleared_at = ?").run(now);
    const { run } = prepareRun(world, { ...asked(), componentIds: [parser], incidentId: id }, () => null);
    const runId = runner.start(run);
    await minutes(1);
    expect(runById(db, runId)).toMatchObject({
      state: "passed",
      proof: "not measured",
      proof_text: "All alarms of the incident had cleared before the run began.",
    });
  });
});
