import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { rootNamed } from "./naming";
import { readScenario } from "./scenario/read";
import { Estate } from "./seen/estate";

const read = readScenario(JSON.parse(readFileSync(new URL("../scenarios/halvane.json", import.meta.url), "utf8")));
if (!read.ok) throw new Error(read.problems.join("\n"));
const { scenario } = read;
const { drills } = new Estate(scenario, Date.parse("2026-03-17T10:00:00Z"));
const named = (id: string, text: string) => {
  const drill = drills.find((one) => one.id === id);
  if (!drill) throw new Error(`no drill ${id}`);
  return rootNamed(scenario, drill, text);
};

it.each([
  ["parser-leak", "manifest-parser @ nq-mfx-parse-01", 0],
  ["parser-leak", " NQ-MFX-PARSE-01.halvane.example ", 0],
  ["parser-leak", "schema-cache @ nq-mfx-parse-01", -1],
  ["parser-leak", "sq-mfx-parse-01", -1],
  ["depot-cut-off", "north – tarn", 0],
  ["depot-cut-off", "the line between Tarn Depot and North Quay", 0],
  ["depot-cut-off", "north – south", -1],
  ["two-unrelated", "sq-crane-ts-01", 1],
  ["two-unrelated", "nq-mfx-parse-01", 0],
  ["holiday", "nq-dir-01", -1],
  ["parser-leak", "", -1],
  ["parser-leak", "@", -1],
])("%s, named “%s”, is root %i", (id, text, root) => expect(named(id, text).root).toBe(root));
it("says how many there are", () => {
  expect(named("two-unrelated", "x").roots).toBe(2);
  expect(named("holiday", "x").roots).toBe(0);
});
