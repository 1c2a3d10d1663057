import { describe, expect, it } from "vitest";
import { belowChoreLevel, choreProblems, choreSchema, choreStepsUp, missingWords } from "./chore";
import { isPast } from "./triggers/figure";
import {
  kindOfTrigger,
  nextDue,
  TRIGGER_KINDS,
  triggerSchema,
  triggerWords,
  type TriggerType,
} from "./triggers/registry";

const chore = (more: object = {}) =>
  choreSchema.parse({
    name: "Rotate",
    trigger: { type: "figure", metric: "disk.used", value: 80 },
    runbook: "rotate",
    args: { mount: "{{due.instance}}" },
    ...more,
  });
const MOUNT = { name: "mount", label: "Mount point" };

describe("chores", () => {
  it("wants every parameter filled, by what its trigger knows", () => {
    expect(choreProblems(chore(), [MOUNT])).toEqual({});
    expect(choreProblems(chore({ args: {} }), [MOUNT])).toEqual({
      "args.mount": "Say what Mount point is filled with.",
    });
    const unknown = choreProblems(chore({ args: { mount: "{{due.process}}" } }), [MOUNT]);
    expect(unknown["args.mount"]).toMatch(/{{due\.process}} is not known here; use {{due\.instance}}/);
    expect(choreProblems(chore({ args: { mount: "/", more: "x" } }), [MOUNT]).args).toMatch(/no parameter “more”/);
    expect(missingWords(chore(), {})).toEqual(["due.instance"]);
    expect(missingWords(chore(), { "due.instance": "/" })).toEqual([]);
  });

  it("is trusted in three steps", () => {
    expect(choreStepsUp("watch", "automatic")).toBe(2);
    expect(belowChoreLevel("automatic")).toBe("approve");
    expect(belowChoreLevel("watch")).toBe("watch");
    expect(choreSchema.safeParse({ ...chore(), level: "propose" }).success).toBe(false);
  });

  it("limits what upkeep does in an hour more loosely than what policies do", () => {
    expect(chore().limits.mostAnHour).toEqual({ runbook: 100, component: 2, service: 20, estate: 100 });
    expect(chore({ limits: { mostAnHour: { runbook: 1 } } }).limits.mostAnHour).toMatchObject({
      runbook: 1,
      estate: 10,
    });
  });
});

describe("triggers", () => {
  it("each has words and a schema of its own", () => {
    expect(triggerWords(chore().trigger)).toBe("Disk usage above 80.0 % for 5 min");
    expect(triggerWords(triggerSchema.parse({ type: "certificate", daysLeft: 9 }))).toBe(
      "a certificate ends within 9 days",
    );
    expect(new Set(TRIGGER_KINDS.map(({ type }) => kindOfTrigger(type as TriggerType).label)).size).toBe(
      TRIGGER_KINDS.length,
    );
  });

  it("only the clock knows when it is due next", () => {
    const nowMs = Date.parse("2026-03-17T10:00:00Z");
    expect(nextDue(triggerSchema.parse({ type: "times", at: "12:00" }), nowMs)).toBe(nowMs + 2 * 3_600_000);
    expect(nextDue(chore().trigger, nowMs)).toBeNull();
  });

  it.each([
    [[81, 82], true],
    [[81, 79], false],
    [[Number.NaN, 81], true],
    [[Number.NaN], false],
    [[], false],
    [[80], false],
  ])("%j past 80: %s", (samples, past) => expect(isPast({ is: "above", value: 80 }, samples)).toBe(past));
});
