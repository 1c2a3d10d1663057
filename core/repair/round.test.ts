import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { planRound, roundWords, type RoundItem, type RoundItemState } from "./round";

const items = (...states: RoundItemState[]): RoundItem[] => states.map((state, id) => ({ id, state }));

describe("a round of a chore", () => {
  it("begins so many at a time, in their order", () => {
    expect(planRound({ atOnce: 2, failedPercent: 0 }, items("passed", "running", "waiting", "waiting"), false)).toEqual(
      {
        next: [2, 3],
        room: 1,
        end: null,
      },
    );
  });

  it("stops when more has failed than may, but not before what runs has ended", () => {
    const rules = { atOnce: 2, failedPercent: 25 };
    expect(planRound(rules, items("failed", "waiting", "waiting", "waiting"), false).end).toBeNull();
    expect(planRound(rules, items("failed", "failed", "running", "waiting"), false)).toMatchObject({
      room: 0,
      end: null,
    });
    expect(planRound(rules, items("failed", "failed", "passed", "waiting"), false).end).toBe("stopped");
  });

  it("is out of time only while something waits", () => {
    const rules = { atOnce: 1, failedPercent: 0 };
    expect(planRound(rules, items("passed", "waiting"), true).end).toBe("out of time");
    expect(planRound(rules, items("passed", "held"), true).end).toBe("done");
    expect(planRound(rules, [], false).end).toBe("done");
  });

  it("never runs more at once than it may, tries nothing twice, and ends whatever happens", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 30 }),
        fc.integer({ min: 1, max: 8 }),
        fc.integer({ min: 0, max: 100 }),
        fc.array(fc.constantFrom("begin", "pass", "fail", "hold", "late"), { maxLength: 200 }),
        (count, atOnce, failedPercent, happenings) => {
          const list = items(...Array.from({ length: count }, () => "waiting" as const));
          const begun = new Set<number>();
          let isLate = false;
          const set = (id: number, state: RoundItemState) => void ((list[id] as RoundItem).state = state);
          const step = (what: string): boolean => {
            const plan = planRound({ atOnce, failedPercent }, list, isLate);
            if (plan.end) return true;
            const running = list.filter((one) => one.state === "running");
            if (what === "late") isLate = true;
            else if (what === "begin")
              for (const id of plan.next.slice(0, plan.room)) {
                expect(begun.has(id)).toBe(false);
                begun.add(id);
                set(id, "running");
              }
            else if (what === "hold" && plan.next[0] !== undefined) set(plan.next[0], "held");
            else if (running[0]) set(running[0].id, what === "pass" ? "passed" : "failed");
            expect(list.filter((one) => one.state === "running").length).toBeLessThanOrEqual(atOnce);
            return false;
          };
          let isOver = happenings.some(step);
          for (let tries = 0; !isOver && tries < 4 * count; tries++) isOver = step(tries % 2 ? "pass" : "begin");
          expect(isOver).toBe(true);
          expect(list.some((one) => one.state === "running")).toBe(false);
          const failed = list.filter((one) => one.state === "failed").length;
          // Beyond the share that may fail only what ran already can fail.
          expect(failed).toBeLessThanOrEqual(Math.floor((failedPercent / 100) * count) + atOnce);
        },
      ),
    );
  });

  it("is summed up in words", () => {
    expect(roundWords(["passed", "failed", "passed", "held"])).toBe("2 done, 1 failed, 1 held back");
    expect(roundWords([])).toBe("");
  });
});
