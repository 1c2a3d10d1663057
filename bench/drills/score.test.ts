import { describe, expect, it } from "vitest";
import { accuracyAt, averageAt5, f1, quantile, rankingOf, rowsOf, scoreCase, type Said, type Truth } from "./score";

const truth = (more: Partial<Truth> = {}): Truth => ({
  id: "case",
  group: "",
  roots: [[{ host: "db", process: "store" }, { host: "db" }]],
  services: { degraded: ["Orders"], down: [] },
  incidents: 1,
  noticedWithinMs: 120_000,
  faultsAt: (thing) => (thing.host === "db" || thing.host === "app" ? ["f"] : []),
  ...more,
});
const said = (more: Partial<Said> = {}): Said => ({
  startedAtMs: 1000,
  alarms: [
    { id: 1, host: "app", raisedAtMs: 40_000, incident: 7, what: "slow" },
    { id: 2, host: "db", process: "store", raisedAtMs: 50_000, incident: 7, what: "slow" },
    { id: 3, host: "other", raisedAtMs: 60_000, incident: 7, what: "full" },
  ],
  incidents: [
    {
      id: 7,
      title: "x",
      openedAtMs: 41_000,
      services: ["Orders"],
      suspects: [{ host: "app" }, { host: "db", process: "store" }],
    },
  ],
  services: { degraded: ["Orders"], down: ["Other"] },
  ...more,
});

describe("a case", () => {
  it("is scored by place, time, pairs and services", () => {
    expect(scoreCase(said(), truth())).toMatchObject({
      noticedAfterMs: 40_000,
      inTime: true,
      hostRanks: [2],
      elementRanks: [2],
      alarms: 3,
      incidents: 1,
      pairs: { both: 1, missed: 0, wrong: 2 },
      services: { degraded: { right: 1, missed: 0, wrong: 0 }, down: { right: 0, missed: 0, wrong: 1 } },
    });
  });
  it("is missed where nothing was said, and late beyond its time", () => {
    const silent = scoreCase(said({ alarms: [], incidents: [] }), truth());
    expect(silent).toMatchObject({ noticedAfterMs: undefined, inTime: false, hostRanks: [0] });
    expect(scoreCase(said(), truth({ noticedWithinMs: 30_000 })).inTime).toBe(false);
  });
  it("takes a host for a process by host only", () => {
    const other = truth({ roots: [[{ host: "db", process: "store" }]] });
    const incidents = [{ id: 7, title: "", openedAtMs: 2000, services: [], suspects: [{ host: "db" }] }];
    expect(scoreCase(said({ incidents }), other)).toMatchObject({ hostRanks: [1], elementRanks: [0] });
  });
  it("takes a line by its ends, whichever comes first", () => {
    const line = truth({ roots: [[{ between: ["a", "b"] }]] });
    const suspects = [{ between: ["b", "a"] as [string, string] }];
    const incidents = [{ id: 7, title: "", openedAtMs: 2000, services: [], suspects }];
    expect(scoreCase(said({ incidents }), line)).toMatchObject({ hostRanks: [1], elementRanks: [1] });
  });
});

it("several incidents take turns in the ranking, each thing once", () => {
  const incident = (id: number, hosts: string[]) => ({
    id,
    title: "",
    openedAtMs: 0,
    services: [],
    suspects: hosts.map((one) => ({ host: one })),
  });
  const ranking = rankingOf([incident(1, ["a", "b"]), incident(2, ["b", "c"])], "host");
  expect(ranking.map((one) => one.host)).toEqual(["a", "b", "c"]);
});

it("accuracy, F1 and quantiles are what they are called", () => {
  expect(accuracyAt([[1], [3], [0], [2]], 1)).toBe(0.25);
  expect(accuracyAt([[1], [3], [0], [2]], 3)).toBe(0.75);
  // Of two roots one at most can stand first; both must be among the first three.
  expect(accuracyAt([[1, 2]], 1)).toBe(1);
  expect(accuracyAt([[1, 4]], 3)).toBe(0.5);
  expect(averageAt5([[1]])).toBe(1);
  expect(averageAt5([[5]])).toBeCloseTo(0.2);
  expect(f1([{ right: 2, missed: 1, wrong: 1 }])).toBeCloseTo(2 / 3);
  expect(f1([])).toBe(1);
  expect(quantile([4, 1, 3, 2], 0.5)).toBe(2);
  expect(quantile([1, 2, 3, 100], 0.95)).toBe(100);
});

it("a run without faults, or without a quiet span, says nothing of them", () => {
  expect(rowsOf([], "x", undefined)).toEqual([]);
  const names = rowsOf([scoreCase(said(), truth())], "x", { hours: 6, incidents: 1 }).map((row) => [
    row.name,
    row.value,
  ]);
  expect(names).toContainEqual(["x: AC@3 by host", 1]);
  expect(names).toContainEqual(["x: false incidents a quiet day", 4]);
  expect(names.some(([name]) => String(name).includes("benign"))).toBe(false);
});
