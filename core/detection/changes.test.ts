import { expect, test } from "vitest";
import { changes, changeSettings, type ChangeSettings } from "./changes";
import type { ChangeInput } from "./detector";

const HOUR = 3_600_000;
const settings = (more: Partial<Record<keyof ChangeSettings, unknown>> = {}) => changeSettings.parse(more);
const change = (more: Partial<ChangeInput["changes"][number]> = {}): ChangeInput["changes"][number] => ({
  atMs: 0,
  kind: "setting",
  summary: "pool.size 40 → 4",
  by: "d.hale",
  standing: "none",
  ...more,
});
const judge = (given: ChangeSettings, list: ChangeInput["changes"], atMs = HOUR) =>
  changes.evaluate(given, changes.fresh(), { atMs, changes: list }, { instance: "", unit: "" });

test("a change without a ticket is told of; one with a ticket, or that needs none, is not", () => {
  expect(judge(settings(), [change()])).toMatchObject({
    severity: "minor",
    onsetMs: 0,
    text: "Changed without a ticket by d.hale: pool.size 40 → 4",
  });
  expect(judge(settings(), [change({ standing: "planned" }), change({ standing: null })])).toBeUndefined();
  expect(judge(settings({ standing: "outside" }), [change()])).toBeUndefined();
  expect(judge(settings({ standing: "outside" }), [change({ standing: "outside" })])).toBeDefined();
  expect(judge(settings({ standing: "any" }), [change({ standing: null })])?.text).toBe(
    "Changed by d.hale: pool.size 40 → 4",
  );
});

test("it is narrowed by kind and by words, all of them, in what is said or who did it", () => {
  expect(judge(settings({ kind: "deployment" }), [change()])).toBeUndefined();
  expect(judge(settings({ words: "POOL d.hale" }), [change()])).toBeDefined();
  expect(judge(settings({ words: "pool nobody" }), [change()])).toBeUndefined();
});

test("it stands for so long, or until its ticket is found", () => {
  const state = changes.fresh();
  const at = (hours: number, list: ChangeInput["changes"]) =>
    changes.evaluate(settings(), state, { atMs: hours * HOUR, changes: list }, { instance: "", unit: "" });
  expect(at(0.5, [change(), change({ atMs: -HOUR })])?.text).toMatch(/, and 1 more$/);
  expect(at(1, [change()])).toBeUndefined();
  expect(at(2, [change({ standing: "planned" })])?.severity).toBe("cleared");
  expect(at(3, [change({ atMs: 2.5 * HOUR })])?.severity).toBe("minor");
  expect(at(7, [change({ atMs: 2.5 * HOUR })])?.severity).toBe("cleared");
});
