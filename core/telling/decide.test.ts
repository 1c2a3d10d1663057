import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "../time/windows";
import {
  MOST_VERSIONS,
  RuleBook,
  whoIsDue,
  wouldTell,
  type Address,
  type Directory,
  type IncidentNow,
  type Told,
} from "./decide";
import { tellingRuleSchema, type Recipient, type TellingRule } from "./rule";

const T0 = Date.UTC(2026, 2, 3, 6, 0);
const addressOf = (id: number): Address => ({
  key: `1 p${id}`,
  channelId: 1,
  address: `p${id}`,
  personId: id,
  name: `P${id}`,
});
/** Persons are themselves; rotation 1 has whoever is told here. */
const directoryOf = (onCall: number | null = 7): Directory => ({
  addressesOf: ({ kind, id }: Recipient) =>
    kind === "rotation" ? (onCall === null ? [] : [addressOf(onCall)]) : [addressOf(id)],
});
const ruleOf = (given: Partial<TellingRule> = {}): TellingRule => ({
  id: 1,
  name: "All",
  isOn: true,
  services: [],
  sites: [],
  leastSeverity: "warning",
  leastPriority: 4,
  causeKinds: [],
  hours: null,
  zone: "UTC",
  moments: ["opened", "worse", "cause", "handed", "charts", "eased", "reopened", "resolved"],
  delayMinutes: 2,
  certainPercent: 80,
  how: "message",
  to: [{ kind: "person", id: 1 }],
  escalation: [],
  sinceMs: 0,
  ...given,
});
const incidentOf = (given: Partial<IncidentNow> = {}): IncidentNow => ({
  id: 5,
  openedMs: T0,
  resolvedMs: null,
  severity: "major",
  worst: "major",
  priority: 2,
  services: ["gate"],
  sites: ["North Quay"],
  cause: null,
  takenBy: null,
  takenMs: null,
  ...given,
});

/** Plays an incident through, state by state, as ticks would, and keeps what is told. */
function played(
  rules: readonly TellingRule[],
  states: readonly (readonly [atMs: number, state: Partial<IncidentNow>])[],
  directory: (atMs: number) => Directory = () => directoryOf(),
): Told[] {
  const told: Told[] = [];
  let incident = incidentOf();
  for (const [atMs, state] of states) {
    incident = { ...incident, ...state };
    for (const due of whoIsDue(new RuleBook(rules, atMs), incident, told, directory(atMs), atMs))
      told.push({
        address: due.address,
        ruleId: due.ruleId,
        moment: due.moment,
        severity: due.severity,
        cause: due.cause,
        takenBy: due.takenBy,
        atMs,
      });
  }
  return told;
}
const at = (minutes: number) => T0 + minutes * MINUTE_MS;
const short = (told: readonly Told[]) =>
  told.map((one) => `${(one.atMs - T0) / MINUTE_MS} ${one.address.name} ${one.moment}`);
const sure = { name: "slotkeeper", kind: "app.process", probability: 0.9 };

describe("who is told, and when", () => {
  it("waits for the diagnosis", () => {
    expect(
      short(
        played(
          [ruleOf()],
          [
            [at(0), {}],
            [at(1), {}],
            [at(2), {}],
            [at(3), {}],
          ],
        ),
      ),
    ).toEqual(["2 P1 opened"]);
  });
  it("waits shorter when the cause is certain", () => {
    expect(short(played([ruleOf()], [[at(0.5), { cause: sure }]]))).toEqual(["0.5 P1 opened"]);
  });
  it("tells nobody of what is over before anybody was told", () => {
    expect(
      played(
        [ruleOf()],
        [
          [at(0), {}],
          [at(1), { resolvedMs: at(1) }],
          [at(5), {}],
        ],
      ),
    ).toEqual([]);
  });
  it("tells once of each thing that happens, and of the end", () => {
    const told = played(
      [ruleOf({ moments: ["opened", "worse", "cause", "handed", "resolved"] })],
      [
        [at(2), {}],
        [at(5), { severity: "critical", worst: "critical" }],
        [at(6), {}],
        [at(8), { cause: sure }],
        [at(9), {}],
        [at(12), { takenBy: "P9", takenMs: at(12) }],
        [at(13), {}],
        [at(20), { resolvedMs: at(20), severity: "cleared" }],
        [at(21), {}],
      ],
    );
    expect(short(told)).toEqual(["2 P1 opened", "5 P1 worse", "8 P1 cause", "12 P1 handed", "20 P1 resolved"]);
  });
  it("leaves two minutes between messages of a thread, but for the end", () => {
    const told = played(
      [ruleOf()],
      [
        [at(2), {}],
        [at(3), { severity: "critical", worst: "critical" }],
        [at(3.5), { resolvedMs: at(3.5), severity: "cleared" }],
      ],
    );
    expect(short(told)).toEqual(["2 P1 opened", "3.5 P1 resolved"]);
  });
  it("does not tell somebody that they took it themselves", () => {
    const told = played(
      [ruleOf()],
      [
        [at(2), {}],
        [at(5), { takenBy: "P1", takenMs: at(5) }],
      ],
    );
    expect(short(told)).toEqual(["2 P1 opened"]);
  });
  it("escalates step by step while nobody takes it, and stops when somebody does", () => {
    const rule = ruleOf({
      escalation: [
        { afterMinutes: 10, to: [{ kind: "person", id: 2 }] },
        { afterMinutes: 20, to: [{ kind: "person", id: 3 }] },
      ],
      moments: ["opened"],
    });
    const ticks = (until: number, taken?: number) =>
      Array.from({ length: until }, (_, minute): [number, Partial<IncidentNow>] => [
        at(minute),
        taken !== undefined && minute >= taken ? { takenBy: "P2", takenMs: at(taken) } : {},
      ]);
    expect(short(played([rule], ticks(40)))).toEqual(["2 P1 opened", "12 P2 unclaimed", "22 P3 unclaimed"]);
    expect(short(played([rule], ticks(40, 15)))).toEqual(["2 P1 opened", "12 P2 unclaimed"]);
    expect(short(played([rule], ticks(40, 5)))).toEqual(["2 P1 opened"]);
  });
  it("tells an address once, whichever rules name it", () => {
    const rules = [
      ruleOf({ id: 1 }),
      ruleOf({
        id: 2,
        to: [
          { kind: "rotation", id: 1 },
          { kind: "person", id: 1 },
        ],
      }),
    ];
    expect(
      short(
        played(rules, [
          [at(2), {}],
          [at(3), {}],
        ]),
      ),
    ).toEqual(["2 P1 opened", "2 P7 opened"]);
  });
  it("goes on telling who was told when another comes on call, who is told only of what nobody has", () => {
    const rule = ruleOf({ to: [{ kind: "rotation", id: 1 }], moments: ["opened", "resolved"] });
    const turn = (atMs: number) => directoryOf(atMs < at(60) ? 7 : 8);
    const untaken = played(
      [rule],
      [
        [at(2), {}],
        [at(61), {}],
        [at(70), { resolvedMs: at(70) }],
      ],
      turn,
    );
    expect(short(untaken)).toEqual(["2 P7 opened", "61 P8 opened", "70 P7 resolved", "70 P8 resolved"]);
    const taken = played(
      [rule],
      [
        [at(2), {}],
        [at(5), { takenBy: "P7", takenMs: at(5) }],
        [at(61), {}],
        [at(70), { resolvedMs: at(70) }],
      ],
      turn,
    );
    expect(short(taken)).toEqual(["2 P7 opened", "70 P7 resolved"]);
  });
  it.each<[string, Partial<TellingRule>]>([
    ["is off", { isOn: false }],
    ["is for another service", { services: ["berth"] }],
    ["is for another site", { sites: ["South Quay"] }],
    ["asks for worse", { leastSeverity: "critical" }],
    ["asks for more urgent", { leastPriority: 1 }],
    ["asks for a cause of another kind", { causeKinds: ["net.*"] }],
    ["is for other hours", { hours: { days: [1, 2, 3, 4, 5, 6, 7], from: "08:00", to: "18:00" } }],
    ["is younger than the incident", { sinceMs: T0 + 1 }],
  ])("says nothing by a rule that %s", (_why, given) => {
    expect(
      played(
        [ruleOf(given)],
        [
          [at(2), {}],
          [at(9), { cause: sure }],
        ],
      ),
    ).toEqual([]);
  });
  it("says nothing where nobody is on call", () => {
    expect(played([ruleOf({ to: [{ kind: "rotation", id: 1 }] })], [[at(2), {}]], () => directoryOf(null))).toEqual([]);
  });
  it("tells of one that opens again in the same thread", () => {
    const told = played(
      [ruleOf({ moments: ["opened", "reopened", "resolved"] })],
      [
        [at(2), {}],
        [at(5), { resolvedMs: at(5) }],
        [at(9), { resolvedMs: null, severity: "major" }],
        [at(12), { resolvedMs: at(12) }],
      ],
    );
    expect(short(told)).toEqual(["2 P1 opened", "5 P1 resolved", "9 P1 reopened", "12 P1 resolved"]);
  });

  it("never tells an address of the same state twice, begins with its first message, and is bounded, whatever happens (property)", () => {
    const severity = fc.constantFrom("critical" as const, "major" as const, "minor" as const);
    const state = fc.record({
      after: fc.integer({ min: 1, max: 40 }),
      severity,
      isResolved: fc.boolean(),
      cause: fc.option(
        fc.record({
          name: fc.constantFrom("a", "b"),
          kind: fc.constant("app.process"),
          probability: fc.double({ min: 0, max: 1, noNaN: true }),
        }),
      ),
      takenBy: fc.option(fc.constantFrom("P1", "P9")),
    });
    fc.assert(
      fc.property(
        fc.array(state, { maxLength: 120 }),
        fc.array(fc.integer({ min: 1, max: 3 }), { minLength: 1, maxLength: 3 }),
        (states, people) => {
          let minutes = 0;
          const rules = people.map((id, index) =>
            ruleOf({
              id: index + 1,
              to: [{ kind: "person", id }],
              escalation: [{ afterMinutes: 15, to: [{ kind: "person", id: 3 }] }],
            }),
          );
          const told = played(
            rules,
            states.map((one) => {
              minutes += one.after;
              const now = {
                severity: one.severity,
                cause: one.cause,
                takenBy: one.takenBy,
                takenMs: one.takenBy === null ? null : at(minutes),
              };
              return [
                at(minutes),
                one.isResolved
                  ? { ...now, resolvedMs: at(minutes), severity: "cleared" as const }
                  : { ...now, resolvedMs: null },
              ];
            }),
          );
          for (const key of new Set(told.map((one) => one.address.key))) {
            const thread = told.filter((one) => one.address.key === key);
            expect(["opened", "unclaimed"]).toContain(thread[0]?.moment);
            expect(thread.length).toBeLessThanOrEqual(MOST_VERSIONS);
            thread.forEach((one, index) => {
              const next = thread[index + 1];
              if (!next) return;
              expect(next.atMs).toBeGreaterThan(one.atMs);
              if (next.moment !== "resolved" && one.moment !== "resolved")
                expect(next.atMs - one.atMs).toBeGreaterThanOrEqual(2 * MINUTE_MS);
              // After the end comes only a new beginning.
              if (one.moment === "resolved") expect(next.moment).toBe("reopened");
            });
          }
        },
      ),
    );
  });
});

describe("a rule tried on the past", () => {
  it("agrees with what would have been told at the time (property)", () => {
    const hours = fc.option(fc.constant({ days: [2], from: "06:00", to: "06:03" }));
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 10 }),
        fc.integer({ min: 1, max: 12 }),
        fc.constantFrom("gate", "berth"),
        hours,
        fc.boolean(),
        (delayMinutes, lasted, service, inHours, isSure) => {
          const rule = ruleOf({ delayMinutes, services: [service], hours: inHours });
          const cause = isSure ? sure : null;
          const told = played(
            [rule],
            Array.from({ length: 30 }, (_, index): [number, Partial<IncidentNow>] => [
              at(index / 2),
              { cause, resolvedMs: index / 2 >= lasted ? at(lasted) : null },
            ]),
          );
          const over = incidentOf({ cause, resolvedMs: at(lasted) });
          // What tells only in some hours may tell later than its delay, once they begin.
          if (inHours === null || told.length === 0 || wouldTell(rule, over))
            expect(told.length > 0).toBe(wouldTell(rule, over));
        },
      ),
    );
  });
});

describe("rules", () => {
  const { id: _id, sinceMs: _since, ...good } = ruleOf();
  it("are checked with a sentence for each field", () => {
    expect(tellingRuleSchema.safeParse(good).success).toBe(true);
    const wrong = tellingRuleSchema.safeParse({
      ...good,
      name: " ",
      zone: "Mars/Olympus",
      to: [],
      moments: [],
      delayMinutes: 1.5,
      escalation: [
        { afterMinutes: 10, to: [{ kind: "person", id: 1 }] },
        { afterMinutes: 5, to: [{ kind: "person", id: 1 }] },
      ],
    });
    const fields = wrong.error?.issues.map((one) => one.path.join("."));
    expect(fields).toEqual(expect.arrayContaining(["name", "zone", "to", "moments", "delayMinutes", "escalation"]));
  });
  it("decide of an hour of ticks with nothing new without a word", () => {
    const ticks = Array.from({ length: 60 }, (_, minute): [number, object] => [at(3 + minute), {}]);
    expect(played([ruleOf({ moments: ["opened"] })], [[at(2), {}], ...ticks])).toHaveLength(1);
    expect(HOUR_MS).toBe(60 * MINUTE_MS);
  });
});
