import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "../time/windows";
import { isHeld, judgeAct, limitsSchema, type Limits, type PastAct, type Situation } from "./guardrails";

const START = Date.parse("2026-03-17T10:00:00Z");
const limits = (given: object = {}): Limits => limitsSchema.parse(given);
const situation = (more: Partial<Situation> = {}): Situation => ({
  nowMs: START,
  haltedBy: null,
  policyId: 1,
  runbookId: 1,
  incidentId: 1,
  target: { id: 1, name: "h-1", firstSeenMs: START - 48 * HOUR_MS, plannedWork: null },
  set: [],
  services: [{ id: 1, name: "Orders", members: [1, 2, 3, 4] }],
  wouldHurt: [],
  touches: [1],
  acts: [],
  underWay: [],
  against: null,
  ...more,
});
const act = (more: Partial<PastAct> = {}): PastAct => ({
  runId: 1,
  atMs: START - 30 * MINUTE_MS,
  runbookId: 1,
  componentId: 9,
  serviceIds: [],
  incidentId: 9,
  policyId: 1,
  state: "passed",
  ...more,
});
const holding = (given: Limits, one: Situation) =>
  judgeAct(given, one)
    .filter((ruling) => ruling.holds)
    .map((ruling) => ruling.guardrail);

describe("guardrails", () => {
  it("let an act pass that none of them speaks against, and each says why", () => {
    const rulings = judgeAct(limits(), situation());
    expect(isHeld(rulings)).toBe(false);
    expect(rulings.every((one) => one.words.length > 5)).toBe(true);
  });
  it.each([
    ["halt", { haltedBy: "Anna" }],
    ["hurt", { wouldHurt: ["Orders"] }],
    ["planned work", { target: { ...situation().target, plannedWork: "CHG-1" } }],
    ["known", { target: { ...situation().target, firstSeenMs: START - 23 * HOUR_MS } }],
    ["lock", { underWay: [{ runId: 7, touches: [1] }] }],
    ["oscillation", { against: "the other" }],
    ["redundancy", { set: [{ id: 2, name: "h-2", isWell: false }] }],
    ["cool-down", { acts: [act({ componentId: 1, atMs: START - MINUTE_MS, policyId: null })] }],
    [
      "tries",
      { acts: [act({ incidentId: 1, atMs: START - 5 * HOUR_MS }), act({ incidentId: 1, atMs: START - 4 * HOUR_MS })] },
    ],
  ] as [string, Partial<Situation>][])("%s holds it back", (guardrail, more) =>
    expect(holding(limits(), situation(more))).toEqual([guardrail]),
  );
  it("a stand-in that another run touches does not count as left well", () =>
    expect(
      holding(
        limits(),
        situation({ set: [{ id: 2, name: "h-2", isWell: true }], underWay: [{ runId: 3, touches: [2] }] }),
      ),
    ).toEqual(["redundancy"]));
  it("of a small service one member can always be seen to, a second one soon after not", () => {
    expect(holding(limits(), situation({ services: [{ id: 1, name: "Small", members: [1, 2] }] }))).toEqual([]);
    expect(
      holding(
        limits({ mostAnHour: { service: 9 } }),
        situation({
          services: [{ id: 1, name: "Small", members: [1, 2] }],
          acts: [act({ componentId: 2, atMs: START - MINUTE_MS })],
        }),
      ),
    ).toEqual(["share"]);
  });
  it("hold during the events of a calendar, on the clock of their place, and refuse what is no calendar", () => {
    const freeze = (...lines: string[]) =>
      [
        "BEGIN:VCALENDAR",
        "VERSION:2.0",
        "PRODID:-//x//y//EN",
        "BEGIN:VEVENT",
        "UID:1",
        "SUMMARY:Month end",
        ...lines,
        "END:VEVENT",
        "END:VCALENDAR",
      ].join("\r\n");
    const at = (nowMs: number, notDuring: string) =>
      holding(limits({ notDuring, zone: "Europe/Lisbon" }), situation({ nowMs }));
    // RFC 5545: the last weekday of every month, from 22:00 on, for six hours.
    const monthly = freeze(
      "DTSTART:20260130T220000",
      "DURATION:PT6H",
      "RRULE:FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1",
    );
    expect(at(Date.parse("2026-03-31T20:59:00Z"), monthly)).toEqual([]);
    expect(at(Date.parse("2026-03-31T21:00:00Z"), monthly)).toEqual(["calendar"]);
    expect(at(Date.parse("2026-04-01T03:01:00Z"), monthly)).toEqual([]);
    const allDay = freeze("DTSTART;VALUE=DATE:20261224", "DTEND;VALUE=DATE:20261227");
    expect(at(Date.parse("2026-12-25T12:00:00Z"), allDay)).toEqual(["calendar"]);
    expect(at(Date.parse("2026-12-27T12:00:00Z"), allDay)).toEqual([]);
    const refused = limitsSchema.safeParse({ notDuring: "BEGIN:VCALENDAR" });
    expect(refused.error?.issues[0]?.message).toMatch(/calendar/i);
  });
  it("hold outside their hours", () =>
    expect(holding(limits({ hours: { days: [6, 7], from: "08:00", to: "18:00" } }), situation())).toEqual(["hours"]));
  it("count what people did for the cool-down only, not against the limits of an hour", () => {
    const acts = Array.from({ length: 20 }, (_, index) =>
      act({ runId: index, policyId: null, componentId: 50 + index }),
    );
    expect(holding(limits(), situation({ acts }))).toEqual([]);
  });
});

interface Wish {
  waitMs: number;
  component: number;
  runbook: number;
  incident: number;
  lastsMs: number;
  /** Holotaxis is started anew before: only what is on record is known. */
  restarts: boolean;
}
const wishes = fc.array(
  fc.record({
    waitMs: fc.integer({ min: -MINUTE_MS, max: 20 * MINUTE_MS }),
    component: fc.integer({ min: 1, max: 4 }),
    runbook: fc.integer({ min: 1, max: 2 }),
    incident: fc.integer({ min: 1, max: 3 }),
    lastsMs: fc.integer({ min: 0, max: 10 * MINUTE_MS }),
    restarts: fc.boolean(),
  }),
  { maxLength: 60 },
);
const servicesOf = (component: number) => [1, ...(component % 2 ? [2] : [])];

/** Goes through wishes as a policy would: what the guardrails let pass is done and goes on record. */
function live(given: Limits, list: readonly Wish[]) {
  let nowMs = START;
  const acts: (PastAct & { endsMs: number })[] = [];
  for (const wish of list) {
    nowMs += wish.waitMs;
    // After a start nothing but the record is left; it is all that they are given in any case.
    const record = wish.restarts ? (JSON.parse(JSON.stringify(acts)) as typeof acts) : acts;
    const underWay = record
      .filter((one) => one.atMs <= nowMs && one.endsMs > nowMs)
      .map((one) => ({ runId: one.runId, touches: [one.componentId] }));
    const rulings = judgeAct(
      given,
      situation({
        nowMs,
        runbookId: wish.runbook,
        incidentId: wish.incident,
        target: { ...situation().target, id: wish.component },
        touches: [wish.component],
        services: servicesOf(wish.component).map((id) => ({ id, name: `S${id}`, members: [1, 2, 3, 4] })),
        acts: record.filter((one) => one.atMs <= nowMs),
        underWay,
      }),
    );
    if (isHeld(rulings)) continue;
    acts.push({
      ...act({ runId: acts.length + 1, atMs: nowMs }),
      runbookId: wish.runbook,
      componentId: wish.component,
      serviceIds: servicesOf(wish.component),
      incidentId: wish.incident,
      endsMs: nowMs + wish.lastsMs,
    });
  }
  return acts;
}

describe("whatever comes, in whatever order, over any starts", () => {
  const given = limits({ mostAnHour: { runbook: 3, component: 2, service: 4, estate: 5 }, mostOfServicePercent: 100 });
  /** Forward in time only: a clock that is set back makes “within an hour” mean another hour. */
  const forward = wishes.map((list) => list.map((one) => ({ ...one, waitMs: Math.abs(one.waitMs) })));
  const worst = (acts: readonly PastAct[], fits: (one: PastAct, other: PastAct) => boolean) =>
    Math.max(
      0,
      ...acts.map(
        (one) =>
          acts.filter((other) => other.atMs > one.atMs - HOUR_MS && other.atMs <= one.atMs && fits(one, other)).length,
      ),
    );
  it("no hour sees more acts than are allowed of a runbook, on a component, on a service, in the estate", () =>
    fc.assert(
      fc.property(forward, (list) => {
        const acts = live(given, list);
        expect(worst(acts, (one, other) => one.runbookId === other.runbookId)).toBeLessThanOrEqual(3);
        expect(worst(acts, (one, other) => one.componentId === other.componentId)).toBeLessThanOrEqual(2);
        expect(worst(acts, () => true)).toBeLessThanOrEqual(5);
        for (const service of [1, 2])
          expect(
            worst(
              acts.filter((one) => one.serviceIds.includes(service)),
              () => true,
            ),
          ).toBeLessThanOrEqual(4);
      }),
      { numRuns: 200 },
    ));
  it("no two runs touch the same part at once, and none comes within the cool-down", () =>
    fc.assert(
      fc.property(forward, (list) => {
        const acts = live(given, list) as (PastAct & { endsMs: number })[];
        for (const [index, one] of acts.entries())
          for (const other of acts.slice(0, index)) {
            if (other.componentId !== one.componentId) continue;
            expect(other.endsMs).toBeLessThanOrEqual(one.atMs);
            if (other.runbookId === one.runbookId)
              expect(one.atMs - other.atMs).toBeGreaterThanOrEqual(given.coolDownMinutes * MINUTE_MS);
          }
      }),
      { numRuns: 200 },
    ));
  it("no incident sees more tries than are allowed, whichever way the clock goes", () =>
    fc.assert(
      fc.property(wishes, (list) => {
        const acts = live(given, list);
        for (const incident of [1, 2, 3]) {
          // What the clock, set back, has not come to yet is not known to have been tried.
          const sorted = acts.filter((one) => one.incidentId === incident).map((one) => one.atMs);
          const isForward = sorted.every((at, index) => index === 0 || at >= (sorted[index - 1] as number));
          if (isForward) expect(sorted.length).toBeLessThanOrEqual(given.tries);
        }
      }),
      { numRuns: 200 },
    ));
  it("nothing is done while it is halted", () =>
    fc.assert(
      fc.property(wishes, (list) =>
        list.every((wish) =>
          isHeld(judgeAct(given, situation({ haltedBy: "Anna", nowMs: START + wish.waitMs, runbookId: wish.runbook }))),
        ),
      ),
    ));
});
