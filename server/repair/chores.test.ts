import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { choreSchema } from "#core/repair/chore";
import { judgeAct, limitsSchema } from "#core/repair/guardrails";
import { runbookSchema } from "#core/repair/runbook";
import { nextDue } from "#core/repair/triggers/registry";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import { choreById, itemsOfRound, listChores, roundsOf, saveChore, setItem } from "../store/chores";
import type { Db } from "../store/database";
import { raiseAlarm, saveRule } from "../store/alarms";
import { componentById, insertComponent } from "../store/estate";
import { joinIncident, openIncident } from "../store/incidents";
import { saveCollection } from "../store/labels";
import { writeHalt } from "../store/policies";
import { addVersion } from "../store/runbooks";
import { listRuns, runById } from "../store/runs";
import { Chores } from "./chores";
import { Policies } from "./policies";
import { Runner } from "./runner";
import { situationOf } from "./situation";
import type { RunnerWorld } from "./world";

const START = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let writer: SampleWriter;
let now: number;
let door: Server;
let origin: string;
let called: string[];
/** Paths that are answered with an error. */
let broken: Set<string>;
/** Calls under way, and the most that there were at once. */
let [under, most] = [0, 0];
let world: RunnerWorld;
let runner: Runner;
let policies: Policies;
let chores: Chores;
useStore((made) => (db = made));
beforeAll(async () => {
  door = createServer((request, response) => {
    called.push(`${request.url}`);
    most = Math.max(most, ++under);
    setTimeout(() => {
      under--;
      response.writeHead(broken.has(request.url ?? "") ? 500 : 200);
      response.end("{}");
    }, 5);
  });
  await new Promise<void>((done) => door.listen(0, "127.0.0.1", done));
  origin = `http://127.0.0.1:${(door.address() as AddressInfo).port}`;
});
afterAll(() => void door.close());

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM chore; DELETE FROM run; DELETE FROM runbook; DELETE FROM incident; DELETE FROM alarm; DELETE FROM rule; DELETE FROM collection",
  );
  writeHalt(db, null);
  [now, called, broken, under, most] = [START, [], new Set(), 0, 0];
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
    reportProblem: (message) => {
      throw new Error(message);
    },
  };
  begin();
  addVersion(
    db,
    runbookSchema.parse({
      uid: "tidy",
      name: "Tidy",
      purpose: "Tidies.",
      kinds: ["host.*"],
      parameters: [{ name: "mount", label: "Mount" }],
      proofSeconds: 120,
      steps: [{ type: "http", title: "Tidy it", url: `${origin}/{{target.name}}/{{mount}}` }],
    }),
    { state: "approved", remark: "", by: "Anna", atMs: START },
  );
});

function begin() {
  runner = new Runner(world, (run) => {
    policies.ended(run);
    chores.ended(run);
  });
  policies = new Policies({
    world,
    runner,
    plannedWork: () => null,
    onIncident: () => undefined,
    onProof: (run, proof) => chores.proved(run, proof),
  });
  chores = new Chores({ world, runner, plannedWork: () => null });
}

const host = (name: string) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "Quay",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: [`k:${name}`],
      facts: {},
      process: null,
    } as never,
    START - 3 * DAY_MS,
  );
const hosts = (count: number) => Array.from({ length: count }, (_, index) => host(`h-${index + 1}`));

function chore(more: object = {}) {
  const definition = choreSchema.parse({
    name: "Tidy up",
    level: "automatic",
    trigger: { type: "times", at: "10:30" },
    runbook: "tidy",
    args: { mount: "srv" },
    ...more,
  });
  return saveChore(db, undefined, definition, { by: "Anna", atMs: now, nextMs: nextDue(definition.trigger, now) });
}

/** Lets the clock go, a look every 10 s, with what runs brought to its end at each. */
async function minutes(count: number) {
  const until = now + count * MINUTE_MS;
  while (now < until) {
    now += 10_000;
    chores.work(now);
    policies.work(now);
    do await new Promise((done) => setTimeout(done, 2));
    while (db.prepare("SELECT count(*) FROM run WHERE state = 'running'").pluck().get() !== 0);
  }
}
const rounds = (id: number) => roundsOf(db, id, 50);
const states = (id: number) => itemsOfRound(db, rounds(id)[0]?.id as number).map((one) => one.state);

describe("a chore by the clock", () => {
  it("is done at its time, on everything that it is for, so many at a time", async () => {
    hosts(5);
    const id = chore({ atOnce: 2 });
    await minutes(29);
    expect(called).toEqual([]);
    await minutes(8);
    expect([...called].sort()).toEqual(["/h-1/srv", "/h-2/srv", "/h-3/srv", "/h-4/srv", "/h-5/srv"]);
    expect(most).toBe(2);
    expect(rounds(id)).toMatchObject([{ state: "done", words: "5 done", due_at: START + 30 * MINUTE_MS }]);
    expect(choreById(db, id)?.next_at).toBe(START + 30 * MINUTE_MS + DAY_MS);
    expect(listRuns(db, 1, now)[0]).toMatchObject({ chore_id: id, started_by: "chore Tidy up", incident_id: null });
  });

  it("only watches, asks, or is refused by who must not", async () => {
    hosts(2);
    const watched = chore({ name: "Watched", level: "watch" });
    const asked = chore({ name: "Asked", level: "approve" });
    await minutes(32);
    expect(called).toEqual([]);
    expect(rounds(watched)).toMatchObject([{ state: "watched" }]);
    expect(itemsOfRound(db, rounds(watched)[0]?.id as number)[0]?.said).toBe(`POST ${origin}/h-1/srv`);
    const [round] = rounds(asked);
    expect(round?.state).toBe("asking");
    chores.answer(round?.id as number, "Mara", true);
    await minutes(2);
    expect(called.sort()).toEqual(["/h-1/srv", "/h-2/srv"]);
    expect(rounds(asked)[0]).toMatchObject({ state: "done", answered_by: "Mara" });
    expect(() => chores.answer(round?.id as number, "Mara", false)).toThrow(/asks nobody any more/);
  });

  it("what a dry run says late undoes nothing that was begun meanwhile", async () => {
    hosts(1);
    const id = chore({ level: "approve" });
    const round = chores.begin(id, "Anna");
    // Approved before the dry run, which comes back later, has said anything.
    chores.answer(round, "Mara", true);
    await minutes(2);
    expect(called).toEqual(["/h-1/srv"]);
    expect(states(id)).toEqual(["passed"]);
  });

  it("begins no more of a round when it is only watched from then on", async () => {
    hosts(3);
    const id = chore();
    chores.begin(id, "Anna");
    const { definition } = choreById(db, id) as { definition: ReturnType<typeof choreSchema.parse> };
    saveChore(db, id, { ...definition, level: "watch" }, { by: "Ben", atMs: now, nextMs: null });
    await minutes(2);
    expect(called).toEqual(["/h-1/srv"]);
    expect(rounds(id)[0]?.words).toBe("It is not done any more: 1 done, 2 held back");
  });

  it("nobody answers: it is left to the next time", async () => {
    hosts(1);
    const id = chore({ level: "approve", withinMinutes: 20 });
    await minutes(55);
    expect(rounds(id)[0]).toMatchObject({ state: "out of time", words: "Nobody answered: 1 held back" });
    expect(called).toEqual([]);
  });

  it("what came due while Holotaxis did not run is made up for, but not too late", async () => {
    hosts(1);
    const late = chore({ name: "Late", withinMinutes: 120 });
    const missed = chore({ name: "Missed", withinMinutes: 30 });
    now = START + 90 * MINUTE_MS;
    begin();
    await minutes(1);
    expect(rounds(late)).toMatchObject([{ state: "done" }]);
    expect(rounds(missed)).toMatchObject([{ state: "missed" }]);
    expect(rounds(missed)[0]?.words).toMatch(/did not run then/);
    expect(called).toEqual(["/h-1/srv"]);
  });

  it("stops when more fails than may, says so, and is trusted less", async () => {
    hosts(6);
    broken = new Set(["/h-1/srv", "/h-2/srv"]);
    const id = chore({ failedPercent: 20 });
    await minutes(40);
    expect(called).toEqual(["/h-1/srv", "/h-2/srv"]);
    expect(rounds(id)[0]).toMatchObject({ state: "stopped", words: "2 failed, 4 not come to" });
    expect(choreById(db, id)).toMatchObject({
      definition: { level: "approve" },
      fell_back_why: "it failed on h-1, h-2",
    });
  });

  it("how it ended is a figure of the component", async () => {
    const [one, other] = hosts(2) as [number, number];
    broken = new Set(["/h-2/srv"]);
    chore({ failedPercent: 100 });
    await minutes(40);
    const value = (id: number) => {
      const series = writer.measured(id, "chore.done", "Tidy up");
      return series && writer.last(series).value;
    };
    expect([value(one), value(other)]).toEqual([1, 0]);
  });

  it("is for members of its collection, and for nothing where there is no such collection", async () => {
    hosts(2);
    host("vault-1");
    saveCollection(db, "Vaults", "q=vault", "Anna", now);
    const some = chore({ name: "Some", collection: "Vaults" });
    const none = chore({ name: "None", collection: "Elsewhere" });
    await minutes(35);
    expect(called).toEqual(["/vault-1/srv"]);
    expect(rounds(some)[0]?.state).toBe("done");
    expect(rounds(none)[0]).toMatchObject({ state: "done", words: "There was no component to do it on" });
  });
});

describe("guardrails of a chore", () => {
  it("holds it back while automatic acts are stopped, and goes on when they go on", async () => {
    hosts(2);
    const id = chore();
    writeHalt(db, { by: "Mara", atMs: now, why: "" });
    await minutes(40);
    expect(called).toEqual([]);
    expect(itemsOfRound(db, rounds(id)[0]?.id as number)[0]?.said).toBe("Mara stopped all automatic acts");
    writeHalt(db, null);
    await minutes(3);
    expect(called).toHaveLength(2);
  });

  it("at most so many an hour, the rest when the hour is over", async () => {
    hosts(4);
    const id = chore({ limits: { mostAnHour: { runbook: 3, estate: 100 } } });
    await minutes(60);
    expect(called).toHaveLength(3);
    await minutes(40);
    expect(called).toHaveLength(4);
    expect(rounds(id)[0]?.state).toBe("done");
  });

  it("does not use up what policies may do in an hour", async () => {
    hosts(12);
    chore({ limits: { mostAnHour: { runbook: 100, estate: 100, component: 2, service: 20 } } });
    await minutes(40);
    expect(called).toHaveLength(12);
    const run = listRuns(db, 1, now)[0];
    const situation = situationOf(db, {
      policyId: 1,
      runbookId: run?.runbook_id as number,
      incidentId: null,
      target: componentById(db, host("other")) as never,
      touches: [],
      nowMs: now,
      plannedWork: () => null,
    });
    const rates = judgeAct(limitsSchema.parse({}), situation).filter((one) => one.guardrail === "rate");
    expect(rates.find((one) => one.words.includes("in the whole estate"))?.words).toMatch(/^0 of/);
  });

  it("leaves alone what an open incident is about, unless it is told otherwise", async () => {
    const [one] = hosts(2) as [number, number];
    const rule = saveRule(db, undefined, {
      name: "Memory",
      type: "threshold",
      settings: {},
      scope: { subject: "component", kind: "host.*" },
      enabled: true,
    });
    const alarm = raiseAlarm(
      db,
      {
        subject: { type: "component", id: one },
        ruleId: rule,
        seriesId: null,
        detector: "threshold",
        metric: "memory.used",
        direction: "above",
        qualifier: "",
        severity: "critical",
        text: "Memory usage at 95 %",
        score: 90,
        onsetMs: now,
      },
      now,
    );
    joinIncident(
      db,
      openIncident(db, { subject: `component:${one}`, title: "Memory", severity: "critical" }, now),
      alarm,
      "first",
      now,
    );
    const minds = chore({ withinMinutes: 20 });
    await minutes(55);
    expect(called).toEqual(["/h-2/srv"]);
    expect(rounds(minds)[0]?.words).toBe("1 done, 1 held back");
    expect(itemsOfRound(db, rounds(minds)[0]?.id as number)[0]?.said).toMatch(/Incident \d+ is open and about h-1/);
  });
});

describe("a chore by a figure", () => {
  const figure = { type: "figure", metric: "disk.used", value: 80, forMinutes: 5 };
  const fill = (id: number, mount: string, value: number) => {
    const series = writer.series({ componentId: id, serviceId: null }, "disk.used", mount, "%", now);
    for (let at = now - 6 * MINUTE_MS; at <= now; at += MINUTE_MS) writer.record(series, at, value);
    writer.commit("everything", () => undefined);
  };
  const one = (more: object = {}) =>
    chore({
      trigger: figure,
      args: { mount: "{{due.instance}}" },
      limits: { coolDownMinutes: 30 },
      withinMinutes: 30,
      ...more,
    });

  it("is done where it is past its limit, once, and proved by the figure", async () => {
    const [first, second] = hosts(2) as [number, number];
    fill(first, "/srv", 91);
    fill(first, "/", 40);
    fill(second, "/srv", 60);
    const id = one();
    await minutes(1);
    expect(called).toEqual(["/h-1/%2Fsrv"]);
    const [item] = itemsOfRound(db, rounds(id)[0]?.id as number);
    expect(item).toMatchObject({
      instance: "/srv",
      why: expect.stringMatching(/Disk usage of \/srv has been above 80/),
    });
    expect(runById(db, item?.run_id as number)?.proof).toBe("watching");
    const series = writer.measured(first, "disk.used", "/srv");
    for (const at of [1, 2, 3]) if (series) writer.record(series, now + at * 1000, 35);
    writer.commit("everything", () => undefined);
    await minutes(1);
    expect(runById(db, item?.run_id as number)).toMatchObject({
      proof: "proved",
      proof_text: expect.stringMatching(/35.* before, limit 80/),
    });
    expect(called).toHaveLength(1);
  });

  it("twice without effect, it is trusted less", async () => {
    const [first] = hosts(1) as [number];
    const id = one();
    for (const _ of [1, 2]) {
      fill(first, "/srv", 91);
      await minutes(2);
      fill(first, "/srv", 92);
      await minutes(33);
    }
    expect(called).toHaveLength(2);
    expect(choreById(db, id)).toMatchObject({
      definition: { level: "approve" },
      fell_back_why: "2 runs in a row had no effect",
    });
  });
});

describe("by hand, and when it is killed", () => {
  it("a round is begun by a press, one at a time, and not for nothing", async () => {
    const id = chore({ trigger: { type: "certificate" }, args: { mount: "{{due.process}}" } });
    expect(() => chores.begin(id, "Mara")).toThrow(/Nothing is due/);
    hosts(3);
    const other = chore({ name: "Other" });
    chores.begin(other, "Mara");
    expect(() => chores.begin(other, "Ben")).toThrow(/going on already/);
    await minutes(3);
    expect(called).toHaveLength(3);
    expect(rounds(other)[0]).toMatchObject({ begun_by: "Mara", state: "done" });
  });

  it("between writing an item down and beginning it: it counts as failed, and is not begun twice", async () => {
    hosts(2);
    const id = chore({ failedPercent: 100 });
    await minutes(29);
    const cut = runner.start.bind(runner);
    runner.start = () => {
      throw new Error("killed");
    };
    now += 2 * MINUTE_MS;
    expect(() => chores.work(now)).toThrow("killed");
    runner.start = cut;
    begin();
    await minutes(3);
    expect(called).toEqual(["/h-2/srv"]);
    expect(states(id)).toEqual(["failed", "passed"]);
    expect(itemsOfRound(db, rounds(id)[0]?.id as number)[0]?.said).toMatch(/nothing was begun/);
  });

  it("a run that ended while nobody listened is taken down at the next look", async () => {
    hosts(1);
    const id = chore();
    await minutes(32);
    const [item] = itemsOfRound(db, rounds(id)[0]?.id as number);
    setItem(db, item?.id as number, { state: "running" });
    db.exec("UPDATE chore_round SET state = 'going', ended_at = NULL");
    begin();
    await minutes(1);
    expect(states(id)).toEqual(["passed"]);
    expect(called).toHaveLength(1);
  });

  it("keeps the newest rounds only", async () => {
    hosts(1);
    const id = chore({ level: "watch" });
    for (let day = 0; day < 105; day++) {
      now += DAY_MS;
      chores.work(now);
    }
    expect(roundsOf(db, id, 500)).toHaveLength(101);
    expect(listChores(db)[0]?.next_at).toBeGreaterThan(now - HOUR_MS);
  });
});
