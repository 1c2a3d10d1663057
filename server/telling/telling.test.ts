import fc from "fast-check";
import { beforeEach, describe, expect, it } from "vitest";
import type { TellingRule } from "#core/telling/rule";
import { emptyEstate, useStore } from "../../tests/store";
import type { LiveEvent } from "../events";
import { saveChannel } from "../store/channels";
import { NO_CONTACT, saveContact } from "../store/contacts";
import type { Db } from "../store/database";
import {
  affectServices,
  incidentEvents,
  openIncident,
  resolveIncident,
  takeIncident,
  updateIncident,
} from "../store/incidents";
import { messageById, messagesIn, messagesOfIncident, triesOf } from "../store/outbox";
import { insertAccount } from "../store/people";
import { listServices, saveService } from "../store/services";
import { signOver } from "../store/shifts";
import { saveTellingRule } from "../store/telling";
import type { Job, JobEnd } from "./hand-over";
import { Telling } from "./telling";

const T0 = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;
let db: Db;
useStore((made) => (db = made));

const good: JobEnd = { outcome: "sent", answer: "250 kept", subject: "S", sentence: "It is so.", tookMs: 3 };
const busy: JobEnd = { ...good, outcome: "retry", answer: "451 try later" };
let nowMs = T0;
let handed: Job[] = [];
let events: LiveEvent[] = [];
let problems: string[] = [];
let answer: (job: Job) => JobEnd | Promise<JobEnd>;
let mara = 0;
let edo = 0;
let mail = 0;
let telling: Telling;

const made = () =>
  new Telling({
    db,
    now: () => nowMs,
    emit: (event) => events.push(event),
    reportProblem: (message) => problems.push(message),
    vault: { use: () => ({}) as never, note: () => undefined },
    handOver: async (job) => {
      handed.push(job);
      return answer(job);
    },
    origin: "https://ops.example",
    secret: Buffer.alloc(32, 7),
  });

const rule = (given: Partial<TellingRule> = {}): Omit<TellingRule, "id"> => ({
  name: `rule ${Math.random()}`,
  isOn: true,
  services: [],
  sites: [],
  leastSeverity: "warning",
  leastPriority: 4,
  causeKinds: [],
  hours: null,
  zone: "UTC",
  moments: ["opened", "worse", "resolved"],
  delayMinutes: 2,
  certainPercent: 80,
  how: "message",
  to: [{ kind: "person", id: mara }],
  escalation: [],
  sinceMs: 0,
  ...given,
});

/** Lets everything that is under way come to its end. */
const settled = async () => {
  for (let turn = 0; turn < 20; turn++) await Promise.resolve();
};
const tick = async (atMs: number) => {
  nowMs = atMs;
  telling.work(atMs);
  await settled();
};
const worsen = (id: number) =>
  updateIncident(db, id, {
    title: "t",
    severity: "critical",
    worst: "critical",
    suspectAlarmId: null,
    suspectReasons: [],
    causes: [],
  });

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM message_try; DELETE FROM message; DELETE FROM telling_rule; DELETE FROM channel; DELETE FROM contact; DELETE FROM incident_event; DELETE FROM incident; DELETE FROM account",
  );
  handed = [];
  events = [];
  problems = [];
  answer = () => good;
  nowMs = T0;
  const account = (name: string) => insertAccount(db, { name, signIn: name, role: "responder", madeBy: "test" }, T0);
  mara = account("Mara");
  edo = account("Edo");
  saveContact(db, mara, { ...NO_CONTACT, mail: "mara@halvane.example" });
  saveContact(db, edo, { ...NO_CONTACT, mail: "edo@halvane.example", browser: false });
  mail = saveChannel(
    db,
    undefined,
    { kind: "mail", name: "Mail", settings: { host: "127.0.0.1", to: "" }, credentialId: null, isOn: true },
    "test",
    T0,
  );
  telling = made();
});

const open = (atMs = T0) => openIncident(db, { subject: "component:1", title: "Memory high", severity: "major" }, atMs);

describe("telling", () => {
  it("tells a person after the delay, with a link that is signed, and notes it on the incident", async () => {
    saveTellingRule(db, undefined, rule(), "test");
    const id = open();
    await tick(T0 + MINUTE);
    expect(handed).toEqual([]);
    await tick(T0 + 2 * MINUTE);
    expect(handed).toHaveLength(1);
    expect(handed[0]).toMatchObject({
      address: "mara@halvane.example",
      thread: null,
      version: 1,
      asked: { incidentId: id, moment: "opened" },
    });
    const code = handed[0]?.asked.links.take.split("/answer/")[1] ?? "";
    expect(telling.answerOf(code)).toMatchObject({ incident: id, act: "take", to: "Mara" });
    expect(telling.answerOf(`${code.slice(0, -2)}xx`)).toMatch(/altered/);
    expect(incidentEvents(db, id).map((one) => one.text)).toContain("Told Mara by Mail: S");
    expect(messagesOfIncident(db, id)[0]).toMatchObject({ state: "sent", answer: "250 kept", subject: "S" });
  });

  it("keeps one thread: later messages answer the first, under names that stay the same at each try", async () => {
    saveTellingRule(db, undefined, rule(), "test");
    const id = open();
    await tick(T0 + 2 * MINUTE);
    worsen(id);
    answer = () => busy;
    await tick(T0 + 5 * MINUTE);
    await tick(T0 + 7 * MINUTE);
    answer = () => good;
    await tick(T0 + 9 * MINUTE);
    const [first, ...more] = handed.map((one) => [one.name, one.thread]);
    expect(more.length).toBeGreaterThan(1);
    expect(new Set(more.map(([name]) => name)).size).toBe(1);
    for (const [, thread] of more) expect(thread).toBe(first?.[0]);
  });

  it("tries again with growing waits for a day and then gives up, all on record", async () => {
    saveTellingRule(db, undefined, rule({ moments: ["opened"] }), "test");
    const id = open();
    answer = () => busy;
    for (let minutes = 2; minutes < 26 * 60; minutes++) await tick(T0 + minutes * MINUTE);
    const [message] = messagesOfIncident(db, id);
    expect(message).toMatchObject({ state: "given up", answer: "451 try later" });
    const tries = triesOf(db, message?.id ?? 0);
    expect(tries.length).toBeGreaterThan(20);
    expect(tries.length).toBeLessThan(100);
    const gaps = tries.slice(1).map((one, index) => one.at - (tries[index]?.at ?? 0));
    expect(Math.max(...gaps)).toBeGreaterThan(10 * Math.min(...gaps));
    // Somebody has it tried again by hand.
    answer = () => good;
    telling.again(message?.id ?? 0);
    await tick(nowMs + MINUTE);
    expect(messageById(db, message?.id ?? 0)?.state).toBe("sent");
  });

  it("waits as long as the other side asks for", async () => {
    saveTellingRule(db, undefined, rule(), "test");
    open();
    answer = () => ({ ...busy, waitMs: 30 * MINUTE });
    await tick(T0 + 2 * MINUTE);
    answer = () => good;
    for (let minutes = 3; minutes < 32; minutes++) await tick(T0 + minutes * MINUTE);
    expect(handed).toHaveLength(1);
    await tick(T0 + 33 * MINUTE);
    expect(handed).toHaveLength(2);
  });

  it("does not try what was refused for good", async () => {
    saveTellingRule(db, undefined, rule({ moments: ["opened"] }), "test");
    const id = open();
    answer = () => ({ ...good, outcome: "refused", answer: "550 no such mailbox" });
    for (let minutes = 2; minutes < 60; minutes++) await tick(T0 + minutes * MINUTE);
    expect(handed).toHaveLength(1);
    expect(incidentEvents(db, id).at(-1)?.text).toContain("550 no such mailbox");
  });

  it("keeps order within a thread while the first message waits", async () => {
    saveTellingRule(db, undefined, rule(), "test");
    const id = open();
    answer = () => busy;
    await tick(T0 + 2 * MINUTE);
    resolveIncident(db, id, T0 + 4 * MINUTE);
    for (let minutes = 4; minutes < 20; minutes++) await tick(T0 + minutes * MINUTE);
    answer = () => good;
    for (let minutes = 20; minutes < 60; minutes++) await tick(T0 + minutes * MINUTE);
    const sent = handed.slice(-2).map((one) => one.asked.moment);
    expect(sent).toEqual(["opened", "resolved"]);
    expect(handed.findIndex((one) => one.asked.moment === "resolved")).toBe(handed.length - 1);
  });

  it("lets one channel that stalls hold up no other", async () => {
    const hook = saveChannel(
      db,
      undefined,
      { kind: "webhook", name: "Hook", settings: { url: "http://127.0.0.1:1/x" }, credentialId: null, isOn: true },
      "test",
      T0,
    );
    saveTellingRule(
      db,
      undefined,
      rule({
        to: [
          { kind: "person", id: mara },
          { kind: "channel", id: hook },
        ],
      }),
      "test",
    );
    answer = (job) => (job.kind === "mail" ? new Promise<JobEnd>(() => undefined) : good);
    for (let count = 0; count < 12; count++) open(T0);
    await tick(T0 + 2 * MINUTE);
    await tick(T0 + 3 * MINUTE);
    await tick(T0 + 4 * MINUTE);
    const messages = messagesIn(db, { fromMs: 0, toMs: nowMs, limit: 100 });
    expect(messages.filter((one) => one.channelId === hook && one.state === "sent")).toHaveLength(12);
    expect(messages.filter((one) => one.channelId === mail && one.state === "sending")).toHaveLength(4);
  });

  it("holds what is beyond the limit of an hour for one digest", async () => {
    saveContact(db, mara, { ...NO_CONTACT, mail: "mara@halvane.example", mostAnHour: 5, browser: false });
    saveTellingRule(db, undefined, rule({ moments: ["opened"] }), "test");
    for (let count = 0; count < 40; count++) open(T0);
    for (let minutes = 2; minutes <= 61; minutes++) await tick(T0 + minutes * MINUTE);
    const own = handed.filter((one) => one.asked.moment === "opened");
    expect(own).toHaveLength(5);
    const digests = handed.filter((one) => one.asked.moment === "digest");
    expect(digests).toHaveLength(1);
    const held = messagesIn(db, { fromMs: 0, toMs: nowMs, limit: 100 }).filter((one) => one.digestId !== null);
    expect(held).toHaveLength(35);
  });

  it("bounds what 1,000 incidents within a minute bring, and tells of each once", async () => {
    saveTellingRule(db, undefined, rule({ moments: ["opened"], to: [{ kind: "person", id: edo }] }), "test");
    for (let count = 0; count < 1_000; count++) open(T0 + count * 60);
    for (let minutes = 1; minutes <= 61; minutes++) await tick(T0 + minutes * MINUTE);
    const messages = messagesIn(db, { fromMs: 0, toMs: nowMs, limit: 5_000 });
    expect(messages.filter((one) => one.moment === "opened")).toHaveLength(1_000);
    expect(new Set(messages.map((one) => one.incidentId)).size).toBe(1_001);
    // Twenty an hour by themselves, the rest in one digest.
    expect(handed.filter((one) => one.asked.moment === "opened")).toHaveLength(20);
    expect(handed.filter((one) => one.asked.moment === "digest")).toHaveLength(1);
  });

  it("keeps quiet hours, but for what is critical", async () => {
    saveContact(db, mara, {
      ...NO_CONTACT,
      mail: "mara@halvane.example",
      browser: false,
      quiet: { days: [1, 2, 3, 4, 5, 6, 7], from: "09:00", to: "11:00" },
    });
    saveTellingRule(db, undefined, rule({ moments: ["opened", "worse"] }), "test");
    open();
    const bad = open();
    worsen(bad);
    await tick(T0 + 2 * MINUTE);
    expect(handed.map((one) => one.asked.incidentId)).toEqual([bad]);
    await tick(Date.parse("2026-03-17T11:00:10Z"));
    expect(handed.map((one) => one.asked.moment)).toEqual(["opened", "digest"]);
  });

  it("shows a message in the browser of that person only", async () => {
    saveChannel(
      db,
      undefined,
      { kind: "browser", name: "Browser", settings: {}, credentialId: null, isOn: true },
      "test",
      T0,
    );
    saveTellingRule(
      db,
      undefined,
      rule({
        to: [
          { kind: "person", id: mara },
          { kind: "person", id: edo },
        ],
      }),
      "test",
    );
    const id = open();
    await tick(T0 + 2 * MINUTE);
    expect(events.filter((one) => one.topic === "told")).toEqual([
      { topic: "told", accountId: mara, title: "S", text: "It is so.", address: `/incidents/${id}`, sound: "none" },
    ]);
  });

  it("escalates, and stops when somebody takes it", async () => {
    saveTellingRule(
      db,
      undefined,
      rule({ escalation: [{ afterMinutes: 10, to: [{ kind: "person", id: edo }] }] }),
      "test",
    );
    const [one, other] = [open(), open()];
    await tick(T0 + 2 * MINUTE);
    takeIncident(db, other, "Mara", T0 + 3 * MINUTE);
    for (let minutes = 3; minutes < 30; minutes++) await tick(T0 + minutes * MINUTE);
    expect(handed.filter((job) => job.address.startsWith("edo")).map((job) => job.asked.incidentId)).toEqual([one]);
  });

  it("tells whoever comes on of a shift that was handed over, not who left", async () => {
    const span = { fromMs: T0 - 8 * 60 * MINUTE, toMs: T0 };
    const shift = signOver(db, { ...span, remark: "Nothing special.", leftBy: "Mara" }, {}, T0);
    telling.tellShift(shift, [mara, edo, edo], "Mara");
    await tick(T0 + MINUTE);
    expect(handed.map((one) => [one.address, one.asked.moment, one.asked.shiftId])).toEqual([
      ["edo@halvane.example", "shift", shift],
    ]);
  });

  it("says what the other side said to a test, and keeps it on record", async () => {
    answer = () => ({ ...good, answer: "250 2.0.0 Message 1 kept" });
    const done = await telling.test(mail, { address: "mara@halvane.example", name: "Mara", personId: mara }, null);
    expect(done).toEqual({ ok: true, answer: "250 2.0.0 Message 1 kept" });
    answer = () => busy;
    expect(await telling.test(mail, { address: "mara@halvane.example", name: "Mara", personId: mara }, null)).toEqual({
      ok: false,
      answer: "451 try later",
    });
    expect(messagesIn(db, { fromMs: 0, toMs: nowMs, limit: 9 }).map((one) => one.state)).toEqual(["given up", "sent"]);
  });

  it("loses nothing and decides nothing twice, wherever the process is killed (property)", async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.integer({ min: 0, max: 30 }), { maxLength: 8 }), async (kills) => {
        db.exec(
          "DELETE FROM message_try; DELETE FROM message; DELETE FROM incident_event; DELETE FROM incident; DELETE FROM telling_rule",
        );
        handed = [];
        nowMs = T0;
        telling = made();
        saveTellingRule(
          db,
          undefined,
          rule({ to: [{ kind: "person", id: edo }], moments: ["opened", "worse", "resolved"] }),
          "test",
        );
        const ids = Array.from({ length: 6 }, () => open(T0));
        /** Whoever is killed never hears the answer. */
        let isKilled = false;
        const taken = new Map<string, number>();
        answer = (job) => {
          taken.set(job.name, (taken.get(job.name) ?? 0) + 1);
          return isKilled ? new Promise<JobEnd>(() => undefined) : good;
        };
        for (let minutes = 1; minutes <= 30; minutes++) {
          if (minutes === 8) worsen(ids[0] ?? 0);
          if (minutes === 15) resolveIncident(db, ids[1] ?? 0, T0 + 15 * MINUTE);
          isKilled = kills.includes(minutes);
          await tick(T0 + minutes * MINUTE);
          if (isKilled) telling = made();
        }
        isKilled = false;
        for (let minutes = 31; minutes <= 34; minutes++) await tick(T0 + minutes * MINUTE);
        const messages = messagesIn(db, { fromMs: 0, toMs: nowMs, limit: 100 });
        expect(messages).toHaveLength(8);
        expect(messages.every((one) => one.state === "sent")).toBe(true);
        // Each message has one name, however often it was handed over: whoever gets it twice can tell.
        expect(taken.size).toBe(8);
        for (const count of taken.values()) expect(count).toBeLessThanOrEqual(1 + kills.length);
      }),
      { numRuns: 25 },
    );
  });

  it("hands over again what could not be taken down, once the disk has room", async () => {
    saveTellingRule(db, undefined, rule({ moments: ["opened"], to: [{ kind: "person", id: edo }] }), "test");
    const id = open();
    db.exec("CREATE TEMP TRIGGER full BEFORE INSERT ON message_try BEGIN SELECT RAISE(ABORT, 'full'); END");
    await tick(T0 + 2 * MINUTE);
    expect(problems).toHaveLength(1);
    expect(messagesOfIncident(db, id)[0]?.state).toBe("sending");
    db.exec("DROP TRIGGER full");
    await tick(T0 + 3 * MINUTE);
    expect(messagesOfIncident(db, id)[0]?.state).toBe("sent");
    expect(new Set(handed.map((one) => one.name)).size).toBe(1);
  });

  it("waits for the next tick where the store takes not even that a message is begun", async () => {
    saveTellingRule(db, undefined, rule({ moments: ["opened"], to: [{ kind: "person", id: edo }] }), "test");
    const id = open();
    db.exec("CREATE TEMP TRIGGER full BEFORE UPDATE ON message BEGIN SELECT RAISE(ABORT, 'full'); END");
    await tick(T0 + 2 * MINUTE);
    expect(problems).toHaveLength(1);
    expect(handed).toEqual([]);
    db.exec("DROP TRIGGER full");
    await tick(T0 + 3 * MINUTE);
    expect(messagesOfIncident(db, id)[0]?.state).toBe("sent");
  });

  it("tells of hurt services by the rules for them", async () => {
    saveTellingRule(db, undefined, rule({ services: ["gate"] }), "test");
    const id = open();
    saveService(db, { uid: "gate", name: "Gate", purpose: "", owner: "", entries: [{ host: "*", process: "x" }] }, T0);
    const service = listServices(db)[0]?.id ?? 0;
    await tick(T0 + 3 * MINUTE);
    expect(handed).toEqual([]);
    affectServices(db, id, [service]);
    await tick(T0 + 4 * MINUTE);
    expect(handed).toHaveLength(1);
  });
});
