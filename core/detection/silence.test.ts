import fc from "fast-check";
import { expect, test } from "vitest";
import { rhythmOf, silence, silenceSettings } from "./silence";

const MINUTE = 60_000;
const settings = silenceSettings.parse({ metric: "orders.taken", times: 4, minutes: 5, forget: 24 });
const JUDGED = { instance: "", unit: "1" };

test("late by its own rhythm, and by the least that is asked", () => {
  const state = silence.fresh();
  const at = (minutes: number, rhythmMs: number | undefined) =>
    silence.evaluate(settings, state, { atMs: minutes * MINUTE, lastMs: 0, rhythmMs }, JUDGED);
  // Four times a minute is less than the five minutes that are asked at least.
  expect(at(4.5, MINUTE)).toBeUndefined();
  expect(at(30, undefined)).toBeUndefined();
  expect(at(19, 5 * MINUTE)).toBeUndefined();
  expect(at(21, 5 * MINUTE)).toMatchObject({ severity: "minor", onsetMs: 5 * MINUTE });
  expect(at(30, 5 * MINUTE)).toBeUndefined();
  const back = silence.evaluate(
    settings,
    state,
    { atMs: 31 * MINUTE, lastMs: 31 * MINUTE, rhythmMs: 5 * MINUTE },
    JUDGED,
  );
  expect(back).toMatchObject({ severity: "cleared", text: "Orders taken comes again" });
});

test("what stays silent for a day counts as taken away, and is not told of anew", () => {
  const state = silence.fresh();
  const at = (hours: number) =>
    silence.evaluate(settings, state, { atMs: hours * 60 * MINUTE, lastMs: 0, rhythmMs: MINUTE }, JUDGED);
  expect(at(1)?.severity).toBe("minor");
  expect(at(25)?.text).toMatch(/counts as taken away/);
  expect(at(26)).toBeUndefined();
});

test("a rhythm is what 19 of 20 gaps keep to", () => {
  expect(rhythmOf([0, 10, 20])).toBeUndefined();
  expect(rhythmOf([0, 10, 20, 30])).toBe(10);
  const daily = Array.from({ length: 5 }, (_, day) => day * 24 * 60 * MINUTE);
  expect(rhythmOf(daily)).toBe(24 * 60 * MINUTE);
  // One long outage in a hundred arrivals is no rhythm.
  const once = [
    ...Array.from({ length: 60 }, (_, i) => i * 10),
    ...Array.from({ length: 60 }, (_, i) => 9000 + i * 10),
  ];
  expect(rhythmOf(once)).toBe(10);
});

test("a rhythm does not depend on when it began, and grows with the gaps", () => {
  const gaps = fc.array(fc.integer({ min: 1, max: 1000 }), { minLength: 3, maxLength: 60 });
  fc.assert(
    fc.property(gaps, fc.integer({ min: 0, max: 1e9 }), (list, start) => {
      const times = list.reduce((all, gap) => [...all, (all.at(-1) as number) + gap], [start]);
      const rhythm = rhythmOf(times) as number;
      expect(list).toContain(rhythm);
      expect(list.filter((gap) => gap <= rhythm).length).toBeGreaterThanOrEqual(list.length * 0.95);
      expect(rhythmOf(times.map((time) => time * 2))).toBe(rhythm * 2);
    }),
  );
});
