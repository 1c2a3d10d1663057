import { readFileSync } from "node:fs";
import { readScenario } from "#standins/scenario/read";
import type { Scenario } from "#standins/scenario/schema";

/** What a test changes in the small world below; as loose as the file is before it is read. */
// oxlint-disable-next-line typescript/no-explicit-any
export type Draft = any;

/**
 * A world for tests: two fronts call an application, which calls a database and hands messages to a queue; beside it an
 * application of its own that calls nobody. Two sites, a hypervisor, no rhythm.
 */
export function smallWorld(change: (draft: Draft) => void = () => undefined): Scenario {
  const draft: Draft = JSON.parse(readFileSync(new URL("./fixtures/small-world.json", import.meta.url), "utf8"));
  change(draft);
  const read = readScenario(draft);
  if (!read.ok) throw new Error(read.problems.join("\n"));
  return read.scenario;
}
