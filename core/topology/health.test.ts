import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { SEVERITIES, severityRank, worstSeverity, type Severity } from "../alarms/severity";
import { MEMBER_STATES, membersState, type MemberHealth } from "./health";

const member = (name: string, severity: Severity, set: string | null = null, weight = 1): MemberHealth => ({
  name,
  severity,
  reason: severity === "cleared" ? "" : "not responding",
  set,
  weight,
});

describe("the state of a service's members", () => {
  it("is the worst of theirs, and names it", () =>
    expect(
      membersState([member("a", "cleared"), member("b", "minor"), member("c", "major")], { rule: "worst" }),
    ).toEqual({
      severity: "major",
      reason: "c: not responding",
    }));
  it("by quorum, is a warning while enough of a set are left, and critical after", () => {
    const set = (...states: Severity[]) => states.map((one, at) => member(`web-${at}`, one, "web"));
    expect(membersState(set("critical", "cleared", "cleared"), { rule: "quorum", quorum: 2 })).toMatchObject({
      severity: "warning",
      reason: "2 of 3 web left; web-0: not responding",
    });
    expect(membersState(set("critical", "major", "cleared"), { rule: "quorum", quorum: 2 })).toMatchObject({
      severity: "critical",
      reason: "1 of 3 web left, 2 needed; web-0: not responding",
    });
    // Nobody stands in for who stands alone.
    expect(membersState([...set("critical", "cleared"), member("db", "major")], { rule: "quorum" })).toMatchObject({
      severity: "major",
      reason: "db: not responding",
    });
  });
  it("by share, follows how many are out", () => {
    const of = (out: number) =>
      membersState(
        Array.from({ length: 10 }, (_, at) => member(`m${at}`, at < out ? "critical" : "cleared")),
        { rule: "share", criticalPercent: 40 },
      ).severity;
    expect([of(0), of(1), of(2), of(4)]).toEqual(["cleared", "minor", "major", "critical"]);
  });
  it("by weight, lets the heavy ones count for more, and names the heaviest", () =>
    expect(
      membersState(
        [member("db", "critical", null, 8), member("web", "critical", null, 1), member("x", "cleared", null, 1)],
        {
          rule: "weight",
        },
      ),
    ).toEqual({ severity: "critical", reason: "90 % of its members by weight are out; db: not responding" }));
  it("is well exactly when all are, and never worse than critical or better for one that gets worse (property)", () => {
    const severity = fc.constantFrom(...SEVERITIES.filter((one) => one !== "indeterminate"));
    fc.assert(
      fc.property(
        fc.constantFrom(...MEMBER_STATES),
        fc.array(fc.tuple(severity, fc.constantFrom(null, "a", "b")), { minLength: 1, maxLength: 8 }),
        fc.nat(7),
        (rule, list, which) => {
          const members = list.map(([one, set], at) => member(`m${at}`, one, set));
          const before = membersState(members, { rule });
          expect(before.severity === "cleared").toBe(worstSeverity(list.map(([one]) => one)) === "cleared");
          const at = which % members.length;
          const after = membersState(
            members.map((one, index) => (index === at ? { ...one, severity: "critical", reason: "x" } : one)),
            { rule },
          );
          return severityRank(after.severity) >= severityRank(before.severity);
        },
      ),
    );
  });
});
