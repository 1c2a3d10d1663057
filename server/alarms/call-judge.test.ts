import { beforeEach, describe, expect, it } from "vitest";
import { callSettings, type CallSettings } from "#core/detection/calls";
import { WaysIn } from "#core/topology/ways-in";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { SampleWriter, type FreshSample } from "../ingest/sample-writer";
import { saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { AlarmBook } from "./alarm-book";
import { CallJudge } from "./call-judge";
import { CallLines, type Kin } from "./call-lines";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let spans: SpanWriter;
let made = 0;
const kinds = new Map<number, string>();
const names = new Map<number, string>();
const components = new Map<number, number>();
const callees = new Map<number, number[]>();
const sites = new Map<number, string>();
const troubled = new Set<number>();
/** Of senders that are no components: one that runs the same. */
const kin = new Map<number, Kin>();
/** Hosts whose processes are not known yet, by one that runs the same. */
const beside = new Map<number, number>();
let ways = new WaysIn([]);

beforeEach(() => {
  db.exec(
    `DELETE FROM alarm; DELETE FROM rule; DELETE FROM span; DELETE FROM operation_minute; DELETE FROM operation_half;
     DELETE FROM operation; DELETE FROM series; DELETE FROM resource; DELETE FROM component_key; DELETE FROM component`,
  );
  for (const map of [kinds, names, components, callees, sites, kin, beside]) map.clear();
  troubled.clear();
  spans = new SpanWriter(db);
  ways = new WaysIn([]);
});

/** A process on a host with an address, and the sender that it is. */
function process(name: string, address: string): { id: number; sender: number } {
  const at = AT - 48 * HOUR_MS;
  const base = { site: "North", sourceId: null, reason: "", facts: {} };
  const hostId = insertComponent(
    db,
    { ...base, kind: "host.linux", name: `h-${name}`, hostId: null, address, keys: [`k:h-${name}`] },
    at,
  );
  const full = `${name} @ h-${name}`;
  const id = insertComponent(
    db,
    {
      ...base,
      kind: "app.process",
      name: full,
      hostId,
      address: null,
      process: name,
      label: name,
      keys: [`k:${name}`],
    },
    at,
  );
  kinds.set(id, "app.process");
  names.set(id, full);
  const sender = insertResource(db, `{"service.name":"${name}"}`, { componentId: id, why: "" }, at);
  components.set(sender, id);
  return { id, sender };
}

const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");

/** Calls that began in a minute, so many of which fail, or take half a second instead of `ms`, or a little more. */
function calls(
  sender: number,
  minute: number,
  { count = 10, failed = 0, slow = 0, ms = 20, spread = 0, name = "GET /", kind = 2, to = "", peer = "store" } = {},
): void {
  const list = Array.from({ length: count }, (_, index): NewSpan => {
    made++;
    const startMs = AT + minute * MINUTE_MS + index * 10;
    return {
      traceId: hex(made, 32),
      spanId: hex(made, 16),
      parentId: "",
      resourceId: sender,
      name,
      kind,
      startMs,
      endMs: startMs + (index < slow ? 500 : ms + (index % 3) * spread),
      status: index >= count - failed ? 2 : 0,
      detail: to ? JSON.stringify({ attributes: { "server.address": to, "peer.service": peer } }) : null,
    };
  });
  db.transaction(() => spans.write(list))();
}

/** Hours in which all went well. */
function wellBefore(sender: number, more: Parameters<typeof calls>[2] = {}, minutes = 90): void {
  for (let minute = -minutes; minute < 0; minute++) calls(sender, minute, more);
}

const rule = (settings: Partial<CallSettings>, service = false) =>
  saveRule(db, undefined, {
    name: `${settings.condition} ${service ? "service" : "calls"}`,
    type: "calls",
    settings: callSettings.parse(settings),
    scope: service ? { subject: "service", service: "*" } : { subject: "component", kind: "*" },
    enabled: true,
  });

function judgeOf(entries = new Map<number, Set<number>>(), writer = new SampleWriter(db)) {
  const lines = new CallLines(
    db,
    writer,
    (resourceId) => components.get(resourceId) ?? null,
    (resourceId) => kin.get(resourceId),
    () => beside,
  );
  const judge = new CallJudge(db, new AlarmBook(db), lines, {
    kindOf: (id) => kinds.get(id),
    isWatched: () => true,
    nameOf: (id) => names.get(id) ?? "",
    serviceUid: () => "gate",
    entries: () => entries,
    takes: (service, component, operation) => ways.takes(service, component, operation),
    calleesOf: (id) => callees.get(id) ?? [],
    siteOf: (id) => sites.get(id) ?? "",
    troubledServices: () => troubled,
    learning: () => ({ budgetMs: 1000, seldom: 1 }),
  });
  return {
    judge,
    tick: (minute: number, fresh: readonly FreshSample[] = []) =>
      db.transaction(() => judge.evaluate(spans, fresh, AT + (minute + 1) * MINUTE_MS))(),
  };
}

describe("calls that are answered", () => {
  it("raise an alarm on who answers, by operation, and clear it when they succeed again", () => {
    const front = process("front", "10.0.0.1");
    rule({ condition: "failing", minor: 5, major: 20 });
    wellBefore(front.sender);
    const { tick } = judgeOf();
    calls(front.sender, 0);
    expect(tick(0)).toEqual([]);
    calls(front.sender, 1, { failed: 8 });
    expect(tick(1)).toMatchObject([
      { what: "raised", subject: { type: "component", id: front.id }, metric: "calls.failing", severity: "major" },
    ]);
    expect(db.prepare("SELECT qualifier, text FROM alarm").get()).toMatchObject({
      qualifier: "GET /",
      text: expect.stringMatching(/^GET \/: 8 of 10 calls failed within 1 min/) as string,
    });
    for (const minute of [2, 3, 4]) calls(front.sender, minute);
    expect(tick(4)).toMatchObject([{ what: "cleared" }]);
  });
  it("say nothing of what is not known yet", () => {
    const front = process("front", "10.0.0.1");
    rule({ condition: "failing", minor: 5 });
    const { tick } = judgeOf();
    calls(front.sender, 0, { failed: 10 });
    expect(tick(0)).toEqual([]);
  });
  it("count for the service that is entered by them, which is measured from then on", () => {
    const front = process("front", "10.0.0.1");
    rule({ condition: "slow", minor: 25 }, true);
    wellBefore(front.sender);
    const { tick, judge } = judgeOf(new Map([[7, new Set([front.id])]]));
    expect(judge.isMeasured(7)).toBe(false);
    calls(front.sender, 0);
    expect(tick(0)).toEqual([]);
    expect(judge.isMeasured(7)).toBe(true);
    calls(front.sender, 1, { slow: 9 });
    expect(tick(1)).toMatchObject([{ what: "raised", subject: { type: "service", id: 7 }, metric: "calls.slow" }]);
  });
});

it("at a front of several services, what one of them claims by name is its own and none of the others'", () => {
  const front = process("front", "10.0.0.1");
  rule({ condition: "failing", minor: 5, major: 15, critical: 70 }, true);
  for (const name of ["GET /lots", "GET /rounds"]) wellBefore(front.sender, { name, count: 20 });
  const [auction, rounds] = [7, 8];
  ways = new WaysIn([
    { service: auction, component: front.id },
    { service: rounds, component: front.id, operations: ["GET /rounds"] },
  ]);
  const own = new Set([front.id]);
  const { tick, judge } = judgeOf(new Map([auction, rounds].map((id) => [id, own])));
  const minute = (at: number, failed: { lots?: number; rounds?: number }) => {
    calls(front.sender, at, { name: "GET /lots", count: 20, failed: failed.lots ?? 0 });
    calls(front.sender, at, { name: "GET /rounds", count: 20, failed: failed.rounds ?? 0 });
    return tick(at).map((one) => [one.what, one.subject.id]);
  };
  expect(minute(0, {})).toEqual([]);
  expect(judge.isMeasured(rounds)).toBe(true);
  expect([1, 2].flatMap((at) => minute(at, { rounds: 20 }))).toEqual([["raised", rounds]]);
  // All of its calls: it is down, and not one of two things that are asked of it.
  expect(db.prepare("SELECT severity, text FROM alarm").all()).toEqual([
    { severity: "critical", text: expect.stringMatching(/^\d+ of \d+ calls failed/) as string },
  ]);
  expect([3, 4, 5, 6, 7, 8].flatMap((at) => minute(at, {}))).toEqual([["cleared", rounds]]);
  expect([9, 10].flatMap((at) => minute(at, { lots: 20 }))).toEqual([["raised", auction]]);
});

it("says how calls went since an instant, of what stands alone, once enough of them are known", () => {
  const front = process("front", "10.0.0.1");
  rule({ condition: "failing", minor: 5, major: 20 });
  rule({ condition: "failing", minor: 5 }, true);
  wellBefore(front.sender);
  const { tick, judge } = judgeOf(new Map([[7, new Set([front.id])]]));
  const since = (type: "component" | "service", minute: number, qualifier = "GET /") =>
    judge.since(
      { subject: { type, id: type === "service" ? 7 : front.id }, metric: "calls.failing", qualifier },
      AT + minute * MINUTE_MS,
      AT + (minute + 3) * MINUTE_MS,
    );
  calls(front.sender, 0);
  tick(0);
  calls(front.sender, 1, { count: 40, failed: 20 });
  expect(tick(1)).toHaveLength(2);
  calls(front.sender, 2, { count: 40, failed: 1 });
  calls(front.sender, 3, { count: 10 });
  // Half of those of the minute before failed: the alarm stands.
  expect(tick(2)).toEqual([]);
  expect(since("component", 0)).toMatchObject({ calls: 99, isEased: false });
  // What began in minute 2 counts from then on.
  expect(since("component", 2 + 0.1 / 60)).toMatchObject({ calls: 39, bad: 1, isEased: true });
  expect(since("component", 2.5)).toBeUndefined();
  calls(front.sender, 3, { count: 40 });
  expect(since("component", 2)).toMatchObject({ calls: 89, bad: 1, isEased: true });
  expect(since("service", 2, "")).toMatchObject({ calls: 50, bad: 0, isEased: true });
  expect(since("component", 2, "GET /other")).toBeUndefined();
});

it("a service of which one thing fails for everybody is down for those who need it, at whichever entry point", () => {
  const [north, south] = [process("north", "10.0.0.1"), process("south", "10.0.0.2")];
  rule({ condition: "failing", minor: 5, major: 15, critical: 70 }, true);
  for (const { sender } of [north, south]) {
    wellBefore(sender, { name: "GET /", count: 60 });
    wellBefore(sender, { name: "POST /take", count: 6 });
  }
  const entries = new Map([[7, new Set([north.id, south.id])]]);
  const { tick } = judgeOf(entries);
  const minute = (at: number, failed: readonly [number, number]) => {
    [north, south].forEach(({ sender }, index) => {
      calls(sender, at, { name: "GET /", count: 60 });
      calls(sender, at, { name: "POST /take", count: 6, failed: failed[index as 0 | 1] });
    });
    return tick(at);
  };
  expect(minute(0, [0, 0])).toEqual([]);
  // Only at one of two: some are hurt.
  expect(minute(1, [6, 0]).map((one) => one.severity)).toEqual([]);
  expect([2, 3].flatMap((at) => minute(at, [6, 0])).map((one) => one.severity)).not.toContain("critical");
  expect([4, 5, 6].flatMap((at) => minute(at, [6, 6]))).toMatchObject([
    { severity: "critical", text: expect.stringMatching(/^POST \/take: \d+ of \d+ calls failed/) as string },
  ]);
  const after = [7, 8, 9, 10, 11, 12].flatMap((at) => minute(at, [0, 0]));
  expect(after).toMatchObject([{ what: "cleared", subject: { type: "service", id: 7 } }]);
  // A way in that is taken away while it fails leaves no alarm behind.
  expect([13, 14].flatMap((at) => minute(at, [6, 6])).map((one) => one.severity)).toContain("critical");
  const other = process("other", "10.0.0.3");
  wellBefore(other.sender, { name: "GET /", count: 60 });
  entries.set(7, new Set([other.id]));
  const moved = [15, 16, 17].flatMap((at) => {
    calls(other.sender, at, { name: "GET /", count: 60 });
    return tick(at);
  });
  expect(moved).toMatchObject([{ what: "cleared", subject: { type: "service", id: 7 } }]);
});

describe("a sender that is no component and runs the same program as an entry point", () => {
  const world = () => {
    const front = process("front", "10.0.0.1");
    rule({ condition: "failing", minor: 5, major: 20 });
    rule({ condition: "failing", minor: 5, major: 20 }, true);
    rule({ condition: "slow", minor: 30, major: 60 });
    for (let minute = -90; minute < 0; minute++)
      for (const name of ["GET /", "POST /"]) calls(front.sender, minute, { name });
    const sender = insertResource(
      db,
      '{"service.name":"front","host.name":"new-3"}',
      { componentId: null, why: "" },
      AT,
    );
    kin.set(sender, { componentId: front.id, name: "front on new-3" });
    const entries = new Set([front.id]);
    const { tick } = judgeOf(new Map([[7, entries]]));
    const minute = (at: number, failed: number, { others = 10, count = 6, slow = 0 } = {}) => {
      calls(front.sender, at, { count: others });
      calls(sender, at, { count, failed, slow });
      return tick(at);
    };
    /** The sender is a component from now on, by which the service is entered. */
    const becomes = () => {
      const own = process("newcomer", "10.0.0.3");
      entries.add(own.id);
      components.set(sender, own.id);
      kin.clear();
      return own;
    };
    return { minute, becomes };
  };

  it("is judged and counts for the service where its host is known and its process is not, until it is", () => {
    const { minute, becomes } = world();
    const { id: host } = process("h", "10.0.0.9");
    const [sender] = [...kin.keys()];
    const [front] = [...kin.values()];
    if (sender === undefined || !front) throw new Error("There is no newcomer.");
    kin.clear();
    components.set(sender, host);
    beside.set(host, front.componentId);
    expect(minute(0, 0)).toEqual([]);
    const events = [1, 2, 3].flatMap((at) => minute(at, 6));
    const raised = events.filter(({ what }) => what === "raised").map(({ subject }) => subject);
    expect(raised).toContainEqual({ type: "component", id: host });
    expect(raised).toContainEqual({ type: "service", id: 7 });
    const own = becomes();
    beside.clear();
    const later = [4, 5, 6].flatMap((at) => minute(at, 6));
    expect(later.filter(({ what }) => what === "cleared").map(({ subject }) => subject)).toEqual([
      { type: "component", id: host },
    ]);
    expect(later.filter(({ what }) => what === "raised").map(({ subject }) => subject)).toContainEqual({
      type: "component",
      id: own.id,
    });
  });
  it("counts for the service, and is named where it fails", () => {
    const { minute } = world();
    expect(minute(0, 0)).toEqual([]);
    const events = [1, 2, 3].flatMap((at) => minute(at, 6));
    expect(events[0]).toMatchObject({ what: "raised", subject: { type: "service", id: 7 }, severity: "major" });
    expect(events[0]?.text).toMatch(
      /calls failed within \d min \(.*\); \d+ of \d+ at front on new-3, which is not in the estate$/,
    );
    // The component beside it answers well: nothing is said of that.
    expect(events.every((one) => one.subject.type === "service")).toBe(true);
    const after = [4, 5, 6, 7, 8, 9, 10].flatMap((at) => minute(at, 0));
    expect(after).toMatchObject([{ what: "cleared", subject: { type: "service", id: 7 } }]);
  });

  it("is judged by itself beside many that are well, as severe as its part of all calls", () => {
    const { minute } = world();
    minute(0, 0, { others: 120, count: 4 });
    const events = [1, 2, 3].flatMap((at) => minute(at, 4, { others: 120, count: 4 }));
    expect(events).toMatchObject([{ what: "raised", subject: { type: "service", id: 7 }, severity: "minor" }]);
    expect(events[0]?.text).toMatch(
      /^(\d+) of \1 calls failed .*; \d+ of \d+ at front on new-3, which is not in the estate$/,
    );
    const after = [4, 5, 6, 7, 8, 9, 10].flatMap((at) => minute(at, 0, { others: 120, count: 4 }));
    expect(after).toMatchObject([{ what: "cleared", subject: { type: "service", id: 7 } }]);
  });

  it("is judged as others are while it is a component without a past, but for how quick it is", () => {
    const { minute, becomes } = world();
    minute(0, 0);
    const own = becomes();
    expect([1, 2, 3, 4].flatMap((at) => minute(at, 0, { others: 120, slow: 6 }))).toEqual([]);
    const early = [5, 6, 7, 8].flatMap((at) => minute(at, 6, { others: 120 }));
    expect(early).toContainEqual(
      expect.objectContaining({ what: "raised", subject: { type: "component", id: own.id }, severity: "major" }),
    );
    const after = [9, 10, 11, 12, 13, 14, 15, 16].flatMap((at) => minute(at, 0, { others: 120 }));
    expect(after).toContainEqual(
      expect.objectContaining({ what: "cleared", subject: { type: "component", id: own.id } }),
    );
  });

  it("does not take for usual what its alarm stood over: put in again, it is judged as it was the first time", () => {
    const { minute, becomes } = world();
    minute(0, 0);
    const own = becomes();
    const raised = (from: number, count: number, failed: number) =>
      Array.from({ length: count }, (_, at) => minute(from + at, failed)).flatMap((events) =>
        events.filter((one) => one.what === "raised" && one.subject.id === own.id).map((one) => one.subject.type),
      );
    expect(raised(1, 25, 6)).toEqual(["component"]);
    const silent = Array.from({ length: 60 }, (_, at) => minute(26 + at, 0, { count: 0 })).flat();
    expect(silent).toContainEqual(
      expect.objectContaining({ what: "cleared", subject: { type: "component", id: own.id } }),
    );
    expect(raised(86, 3, 6)).toEqual(["component"]);
  });

  it("is judged as the component that it becomes", () => {
    const { minute, becomes } = world();
    minute(0, 0);
    const own = becomes();
    for (let at = 1; at < 90; at++) minute(at, 0);
    const events = [90, 91, 92].flatMap((at) => minute(at, 6));
    expect(events.map((one) => one.subject)).toContainEqual({ type: "component", id: own.id });
    expect(events.every((one) => !one.text.includes("not in the estate"))).toBe(true);
  });
});

describe("a service whose calls all take longer", () => {
  const longer = { condition: "slow", minor: 25, longer: 1.4 } as const;
  it("is told of by its spans", () => {
    const front = process("front", "10.0.0.1");
    rule(longer, true);
    // Every call is a little different, so that none of them passes what few do.
    for (let minute = -1438; minute < 0; minute += 5) calls(front.sender, minute, { ms: 10, spread: 15 });
    const { tick } = judgeOf(new Map([[7, new Set([front.id])]]));
    const minutes = (from: number, to: number, ms: number) =>
      Array.from({ length: to - from }, (_, at) => {
        calls(front.sender, from + at, { count: 30, ms });
        return tick(from + at);
      }).flat();
    expect(minutes(0, 2, 20)).toEqual([]);
    expect(minutes(2, 8, 38)).toMatchObject([
      {
        what: "raised",
        subject: { type: "service", id: 7 },
        metric: "calls.slow",
        severity: "minor",
        text: expect.stringMatching(/calls took [0-9.]+ ms on average within [125] min/) as string,
      },
    ]);
    expect(minutes(8, 12, 20)).toMatchObject([{ what: "cleared", subject: { type: "service", id: 7 } }]);
  });
  it("is told of by one of the things that are asked of it, where that takes half as long again", () => {
    const front = process("front", "10.0.0.1");
    rule(longer, true);
    const asked = (minute: number, times: number) => {
      calls(front.sender, minute, { name: "GET /lots", count: 40, ms: 10, spread: 15 });
      calls(front.sender, minute, { name: "POST /bids", count: 10, ms: 10 * times, spread: 15 * times });
    };
    for (let minute = -1438; minute < 0; minute += 5) asked(minute, 1);
    const { tick } = judgeOf(new Map([[7, new Set([front.id])]]));
    const minutes = (from: number, to: number, times: number) =>
      Array.from({ length: to - from }, (_, at) => {
        asked(from + at, times);
        return tick(from + at);
      }).flat();
    expect(minutes(0, 2, 1)).toEqual([]);
    // A third longer of one thing is not told, though it would be of all.
    expect(minutes(2, 12, 1.35)).toEqual([]);
    expect(minutes(12, 20, 2)).toMatchObject([
      { what: "raised", severity: "minor", text: expect.stringMatching(/^POST \/bids: \d+ calls took/) as string },
    ]);
    expect(minutes(20, 26, 1)).toMatchObject([{ what: "cleared", subject: { type: "service", id: 7 } }]);
  });
  it("is told of by counts and sums alone, each way in beside its own usual", () => {
    const front = process("front", "10.0.0.1");
    rule(longer, true);
    const writer = new SampleWriter(db);
    const owner = { componentId: front.id, serviceId: null, resourceId: null };
    const report = (minute: number, route: string, count: number, seconds: number): FreshSample[] =>
      ([".count", ".sum"] as const).map((part) => {
        const instance = `http.request.method=GET, http.response.status_code=200, http.route=${route}`;
        const unit = part === ".count" ? "1" : "s";
        const at = AT + minute * MINUTE_MS;
        const series = writer.series(owner, `http.server.request.duration${part}`, instance, unit, at, "delta");
        const value = part === ".count" ? count : count * seconds;
        writer.record(series, at, value);
        return { series, atMs: at, value };
      });
    for (let minute = -1438; minute < 0; minute += 5) {
      report(minute, "/quick", 50, 0.02);
      report(minute, "/long", 5, 1);
    }
    writer.commit("everything", () => undefined);
    const { tick } = judgeOf(new Map([[7, new Set([front.id])]]), writer);
    const minute = (at: number, quick: number, long: number, times = 1) =>
      tick(at, [...report(at, "/quick", quick, 0.02 * times), ...report(at, "/long", long, times)]);
    // Ten times as many of those that take long is nothing.
    expect([minute(0, 50, 5), minute(1, 50, 50), minute(2, 50, 50)].flat()).toEqual([]);
    expect([3, 4, 5, 6, 7].flatMap((at) => minute(at, 50, 5, 2.5))).toMatchObject([
      { what: "raised", subject: { type: "service", id: 7 }, metric: "calls.slow" },
    ]);
  });
});

describe("a service that relies on what is in trouble", () => {
  /** One of ten of one thing that is asked fails each minute, and of ninety of the other none. */
  function failing() {
    const front = process("front", "10.0.0.1");
    rule({ condition: "failing", critical: 75, major: 15, minor: 2, leastCalls: 4, score: 75 }, true);
    const asked = (minute: number, failed: number) => {
      calls(front.sender, minute, { name: "GET /lots", count: 90 });
      calls(front.sender, minute, { name: "POST /bids", failed });
    };
    for (let minute = -1438; minute < 0; minute += 5) asked(minute, minute % 100 ? 0 : 1);
    const { tick } = judgeOf(new Map([[7, new Set([front.id])]]));
    return (from: number, to: number, failed: number) =>
      Array.from({ length: to - from }, (_, at) => {
        asked(from + at, failed);
        return tick(from + at);
      }).flat();
  }
  it("is told of by less than it takes where nothing is known, and stands by it until it is well", () => {
    const minutes = failing();
    expect(minutes(0, 10, 1)).toEqual([]);
    troubled.add(7);
    expect(minutes(10, 15, 1)).toMatchObject([
      {
        what: "raised",
        subject: { type: "service", id: 7 },
        severity: "minor",
        text: expect.stringMatching(/^POST \/bids: \d+ of \d+ calls failed/) as string,
      },
    ]);
    troubled.clear();
    expect(minutes(15, 25, 1)).toEqual([]);
    expect(minutes(25, 30, 0)).toMatchObject([{ what: "cleared" }]);
    expect(minutes(30, 40, 1)).toEqual([]);
  });
  it("is not hurt where all is as usual", () => {
    const minutes = failing();
    troubled.add(7);
    expect(minutes(0, 10, 0)).toEqual([]);
  });
});

it("knows the whole past of what is counted, though the first report after a start tells of failures alone", () => {
  const front = process("front", "10.0.0.1");
  rule({ condition: "failing", minor: 5 });
  const writer = new SampleWriter(db);
  const owner = { componentId: front.id, serviceId: null, resourceId: null };
  const report = (minute: number, status: number, count: number): FreshSample => {
    const at = AT + minute * MINUTE_MS;
    const instance = `http.request.method=GET, http.response.status_code=${status}, http.route=/`;
    const series = writer.series(owner, "http.server.request.duration.count", instance, "1", at, "delta");
    writer.record(series, at, count);
    return { series, atMs: at, value: count };
  };
  for (let minute = -1438; minute < 0; minute += 5) {
    report(minute, 200, 50);
    if (minute % 15 === 0) report(minute, 500, 1);
  }
  writer.commit("everything", () => undefined);
  const { tick } = judgeOf(undefined, writer);
  expect(tick(0, [report(0, 500, 1)])).toEqual([]);
  const minutes = (from: number, failed: number) =>
    [0, 1, 2].flatMap((at) => tick(from + at, [report(from + at, 200, 50 - failed), report(from + at, 500, failed)]));
  expect(minutes(1, 0)).toEqual([]);
  expect(minutes(4, 20)).toMatchObject([
    { what: "raised", text: expect.stringMatching(/\(0\.\d % usually\)/) as string },
  ]);
});

describe("calls that are made", () => {
  const outward = { name: "select store", kind: 3, to: "10.0.0.9" };
  it("point at whom they went to, once, however many callers say so", () => {
    const [a, b] = [process("a", "10.0.0.1"), process("b", "10.0.0.2")];
    const store = process("store", "10.0.0.9");
    rule({ condition: "slow", minor: 30 });
    for (const one of [a, b]) wellBefore(one.sender, outward);
    const { tick } = judgeOf();
    for (const one of [a, b]) calls(one.sender, 0, outward);
    tick(0);
    for (const one of [a, b]) calls(one.sender, 1, { ...outward, slow: 9 });
    const events = tick(1);
    expect(events).toMatchObject([{ what: "raised", subject: { type: "component", id: store.id } }]);
    expect(events[0]?.text).toMatch(/^As [ab] @ h-[ab] sees it, select store: 9 of 10 calls took longer than/);
    // It is over only when both see it well again.
    for (const minute of [2, 3, 4]) {
      calls(a.sender, minute, outward);
      calls(b.sender, minute, { ...outward, slow: 9 });
    }
    expect(tick(4)).toEqual([]);
    for (const minute of [5, 6, 7]) for (const one of [a, b]) calls(one.sender, minute, outward);
    expect(tick(7)).toMatchObject([{ what: "cleared", subject: { id: store.id } }]);
  });
  it("point at each of those they went badly to, and leave all of them when it is over", () => {
    const a = process("a", "10.0.0.1");
    const stores = [process("store", "10.0.0.9"), process("store2", "10.0.0.8")];
    rule({ condition: "slow", minor: 30 });
    wellBefore(a.sender, outward);
    const { tick } = judgeOf();
    calls(a.sender, 0, outward);
    tick(0);
    calls(a.sender, 1, { ...outward, slow: 9 });
    calls(a.sender, 1, { ...outward, to: "10.0.0.8", peer: "store2", slow: 9 });
    expect(
      tick(1)
        .map((event) => event.subject.id)
        .sort(),
    ).toEqual(stores.map((one) => one.id).sort());
    for (const minute of [2, 3, 4]) calls(a.sender, minute, { ...outward, count: 20 });
    expect(
      tick(4)
        .map((event) => [event.what, event.subject.id])
        .sort(),
    ).toEqual(stores.map((one) => ["cleared", one.id]).sort());
  });
  describe("from another site", () => {
    /** Two callers at one site and one beside the store, at the other; where the minutes of each are bad. */
    function acrossSites(slowFor: readonly string[], { nearCount = 10, nearBesides = 0 } = {}) {
      const [a, b, near] = [process("a", "10.0.0.1"), process("b", "10.0.0.2"), process("near", "10.0.1.1")];
      const store = process("store", "10.0.0.9");
      for (const one of [a, b]) sites.set(one.id, "Hill");
      for (const one of [near, store]) sites.set(one.id, "Dale");
      rule({ condition: "slow", minor: 30 });
      for (const one of [a, b]) wellBefore(one.sender, outward);
      const besides = { ...outward, name: "insert store", count: nearBesides };
      wellBefore(near.sender, { ...outward, count: nearCount });
      wellBefore(near.sender, besides);
      const { tick } = judgeOf();
      const minute = (at: number, slow: boolean) => {
        for (const one of [a, b]) calls(one.sender, at, { ...outward, slow: slow && slowFor.includes("far") ? 9 : 0 });
        const isSlow = slow && slowFor.includes("near");
        calls(near.sender, at, { ...outward, count: nearCount, slow: isSlow ? nearCount : 0 });
        calls(near.sender, at, besides);
        return tick(at);
      };
      minute(0, false);
      return { events: [1, 2, 3].flatMap((at) => minute(at, true)), far: [a.id, b.id], store: store.id };
    }
    const at = ({ events }: ReturnType<typeof acrossSites>) => [...new Set(events.map((one) => one.subject.id))].sort();

    it("point at the callers where those beside whom they went to are answered well", () => {
      const made = acrossSites(["far"]);
      expect(at(made)).toEqual(made.far);
      expect(made.events[0]?.text).toMatch(/^select store to store @ h-store: /);
    });
    it("point at whom they went to where those beside it are answered badly too", () => {
      const made = acrossSites(["far", "near"]);
      expect(at(made)).toContain(made.store);
    });
    it("believe those beside it in whatever else they ask, where few ask the same", () => {
      expect(at(acrossSites(["far"], { nearCount: 1, nearBesides: 10 }))).toHaveLength(2);
    });
    it("point at whom they went to while hardly anybody else asks it anything", () => {
      const made = acrossSites(["far"], { nearCount: 1 });
      expect(made.events[0]?.subject.id).toBe(made.store);
    });
  });
  it("point at the caller alone where the same never fails for others, and at whom they went to where it does", () => {
    const [a, b] = [process("a", "10.0.0.1"), process("b", "10.0.0.2")];
    const store = process("store", "10.0.0.9");
    rule({ condition: "failing", minor: 30 });
    for (const one of [a, b]) wellBefore(one.sender, outward);
    const { tick } = judgeOf();
    for (const one of [a, b]) calls(one.sender, 0, outward);
    tick(0);
    calls(a.sender, 1, { ...outward, failed: 9 });
    calls(b.sender, 1, outward);
    expect(tick(1)).toMatchObject([{ what: "raised", subject: { type: "component", id: a.id } }]);
    // It begins to fail for the other too: it is the store after all.
    calls(a.sender, 2, { ...outward, failed: 9 });
    calls(b.sender, 2, { ...outward, failed: 9 });
    expect(tick(2)).toMatchObject([{ what: "raised", subject: { type: "component", id: store.id } }]);
  });
  it("point at the caller alone where the same is quick for others, and at whom they went to where it is not", () => {
    const [a, b] = [process("a", "10.0.0.1"), process("b", "10.0.0.2")];
    const store = process("store", "10.0.0.9");
    rule({ condition: "slow", minor: 30 });
    for (const one of [a, b]) wellBefore(one.sender, outward);
    const { tick } = judgeOf();
    for (const one of [a, b]) calls(one.sender, 0, outward);
    tick(0);
    calls(a.sender, 1, { ...outward, slow: 9 });
    calls(b.sender, 1, { ...outward, count: 20, slow: 1 });
    expect(tick(1)).toMatchObject([{ what: "raised", subject: { type: "component", id: a.id } }]);
    expect(db.prepare("SELECT qualifier FROM alarm").pluck().get()).toBe("to store @ h-store");
    calls(a.sender, 2, { ...outward, slow: 9 });
    calls(b.sender, 2, { ...outward, slow: 9 });
    expect(tick(2)).toMatchObject([{ what: "raised", subject: { type: "component", id: store.id } }]);
  });
  it("point at the caller where who is called counts its answers and they are well", () => {
    const a = process("a", "10.0.0.1");
    const store = process("store", "10.0.0.9");
    rule({ condition: "slow", minor: 30 });
    wellBefore(a.sender, outward);
    wellBefore(store.sender, { name: "select store" });
    const { tick } = judgeOf();
    calls(a.sender, 0, outward);
    calls(store.sender, 0, { name: "select store" });
    tick(0);
    calls(a.sender, 1, { ...outward, slow: 9 });
    calls(store.sender, 1, { name: "select store" });
    expect(tick(1)).toMatchObject([{ what: "raised", subject: { type: "component", id: a.id } }]);
    expect(db.prepare("SELECT qualifier FROM alarm").pluck().get()).toBe("to store @ h-store");
  });
});

it("looks behind calls that are answered badly: of those made for them fewer are enough", () => {
  const front = process("front", "10.0.0.1");
  const store = process("store", "10.0.0.9");
  const outward = { name: "select store", kind: 3, to: "10.0.0.9", count: 3 };
  rule({ condition: "failing", minor: 5 });
  wellBefore(front.sender);
  wellBefore(front.sender, outward);
  const { tick } = judgeOf();
  calls(front.sender, 0);
  calls(front.sender, 0, outward);
  tick(0);
  // Two of three alone say little.
  calls(front.sender, 1);
  calls(front.sender, 1, { ...outward, failed: 2 });
  expect(tick(1)).toEqual([]);
  calls(front.sender, 2, { failed: 8 });
  calls(front.sender, 2, { ...outward, failed: 2 });
  expect(
    tick(2)
      .map((event) => event.subject.id)
      .sort(),
  ).toEqual([front.id, store.id].sort());
});

it("follows what goes badly down to where most of it goes badly", () => {
  const front = process("front", "10.0.0.1");
  const middle = process("middle", "10.0.0.2");
  const [store, other] = [process("store", "10.0.0.8"), process("other", "10.0.0.9")];
  rule({ condition: "failing", minor: 99 });
  const { tick, judge } = judgeOf();
  const badAt = () => [...judge.badAt(new Set([front.id]), "calls.failing", AT, AT + 2 * MINUTE_MS)].sort();
  for (const minute of [0, 1]) {
    calls(front.sender, minute, { name: "GET middle", kind: 3, to: "10.0.0.2", peer: "middle", failed: 5 });
    calls(middle.sender, minute, { name: "select store", kind: 3, to: "10.0.0.8", failed: 5 });
    calls(middle.sender, minute, { name: "select other", kind: 3, to: "10.0.0.9", peer: "other", failed: 1 });
    tick(minute);
  }
  expect(badAt()).toEqual([middle.id, store.id].sort());
  expect(badAt()).not.toContain(other.id);
  // The store tells nothing of its own calls.
  const names = process("names", "10.0.0.7");
  callees.set(store.id, [names.id]);
  expect(badAt()).toEqual([middle.id, store.id, names.id].sort());
  callees.clear();
  // No trace of what failed: any of those it calls.
  calls(middle.sender, 5, { name: "select store", kind: 3, to: "10.0.0.8" });
  calls(middle.sender, 5, { name: "select other", kind: 3, to: "10.0.0.9", peer: "other" });
  tick(5);
  callees.set(middle.id, [names.id]);
  expect(
    [...judge.badAt(new Set([middle.id]), "calls.failing", AT + 5 * MINUTE_MS, AT + 6 * MINUTE_MS)].sort(),
  ).toEqual([store.id, other.id, names.id].sort());
  callees.clear();
  // What went badly before the last minutes says nothing of now.
  expect(judge.badAt(new Set([front.id]), "calls.failing", AT + 29 * MINUTE_MS, AT + 30 * MINUTE_MS).size).toBe(0);
});

it("leaves an alarm from before a start that nothing says again", () => {
  const front = process("front", "10.0.0.1");
  rule({ condition: "failing", minor: 5 });
  wellBefore(front.sender);
  const first = judgeOf();
  calls(front.sender, 0);
  first.tick(0);
  calls(front.sender, 1, { failed: 9 });
  expect(first.tick(1)).toHaveLength(1);
  const again = judgeOf();
  expect(again.tick(2)).toEqual([]);
  expect(again.tick(10)).toEqual([]);
  expect(again.tick(18)).toMatchObject([{ what: "cleared", text: "Not seen again since" }]);
});

it("clears what a rule raised when it is switched off", () => {
  const front = process("front", "10.0.0.1");
  const id = rule({ condition: "failing", minor: 5 });
  wellBefore(front.sender);
  const { tick, judge } = judgeOf();
  calls(front.sender, 0);
  tick(0);
  calls(front.sender, 1, { failed: 9 });
  expect(tick(1)).toHaveLength(1);
  saveRule(db, id, {
    name: "failing calls",
    type: "calls",
    settings: callSettings.parse({ condition: "failing", minor: 5 }),
    scope: { subject: "component", kind: "*" },
    enabled: false,
  });
  judge.loadRules();
  expect([...tick(2), ...tick(18)].at(-1)).toMatchObject({ what: "cleared" });
});
