import { expect, it } from "vitest";
import { completed, suggestions, typedBefore } from "./complete";
import { SAMPLE, variablesOf } from "./facts";

it.each([
  ["{{ inc", "inc"],
  ["{{ ", ""],
  ["{{", ""],
  ["text {% if cause.na", "cause.na"],
  ["{{ incident.title }} and", undefined],
  ["no tag inc", undefined],
])("of %j is being typed %j", (text, typed) => {
  expect(typedBefore(text, text.length)).toBe(typed);
});

it("offers what begins so first, then what has it, never the inside of lists", () => {
  const paths = suggestions(variablesOf(SAMPLE), "cause").map((one) => one.path);
  expect(paths[0]).toBe("cause.name");
  expect(paths).toContain("other_causes");
  expect(paths.every((one) => !one.includes("[]"))).toBe(true);
});

it.each([
  ["{{inc", "incident.title", "{{ incident.title }}"],
  ["{{ inc", "incident.title", "{{ incident.title }}"],
  ["{% if ca", "cause", "{% if cause"],
])("%j with %j is %j", (text, path, made) => {
  expect(completed(text, text.length, path)).toEqual({ text: made, at: made.length });
});

it("closes nothing that is closed", () => {
  expect(completed("{{ inc }} x", 6, "incident.title").text).toBe("{{ incident.title }} x");
});
