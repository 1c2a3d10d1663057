import { describe, expect, it } from "vitest";
import { lanesOf, type LaneAlarm, type LanesGiven } from "./lanes";

const alarm = (componentId: number, onsetMs: number, clearedMs: number | null = null): LaneAlarm => ({
  key: `component:${componentId}`,
  name: `host-${componentId}`,
  componentId,
  severity: "major",
  text: "is slow",
  onsetMs,
  clearedMs,
});
const lanes = (given: Partial<LanesGiven>) =>
  lanesOf({
    fromMs: 100,
    toMs: 200,
    alarms: [],
    marks: [],
    causes: [],
    nameOf: (id) => `host-${id}`,
    most: 10,
    ...given,
  });

describe("what happened on each part, on one axis", () => {
  it("begins with the acts of people and the cause, goes on by what began first, and ends with what only changed", () => {
    const { lanes: all } = lanes({
      alarms: [alarm(3, 150), alarm(2, 120)],
      marks: [
        { atMs: 110, what: "change", text: "memory limit", componentId: 4 },
        { atMs: 160, what: "act", text: "took it", componentId: null },
      ],
      causes: [{ componentId: 3, name: "host-3" }],
    });
    expect(all.map((one) => one.name)).toEqual(["People", "host-3", "host-2", "host-4"]);
    expect(all.map((one) => one.isCause)).toEqual([false, true, false, false]);
  });

  it("has a lane for a cause without an alarm of its own, with what changed on it", () => {
    const { lanes: all } = lanes({
      alarms: [alarm(2, 120)],
      marks: [{ atMs: 110, what: "change", text: "another version", componentId: 1 }],
      causes: [{ componentId: 1, name: "store" }],
    });
    expect(all[0]).toMatchObject({ name: "store", isCause: true, bars: [], marks: [{ text: "another version" }] });
  });

  it("draws no bar beyond its ends, says which goes on, and leaves out what was over before", () => {
    const { lanes: all } = lanes({ alarms: [alarm(1, 50, 90), alarm(2, 50, 150), alarm(3, 150, null), alarm(4, 250)] });
    expect(all.map((one) => [one.name, ...one.bars.map((bar) => [bar.fromMs, bar.toMs, bar.isOver])])).toEqual([
      ["host-2", [100, 150, true]],
      ["host-3", [150, 200, false]],
    ]);
  });

  it("says how many parts have no room", () => {
    const { lanes: all, more } = lanes({ alarms: [1, 2, 3, 4, 5].map((id) => alarm(id, 100 + id)), most: 3 });
    expect([all.length, more]).toEqual([3, 2]);
  });
});
