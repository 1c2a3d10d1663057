import { readFileSync } from "node:fs";
import { join } from "node:path";
import { readScenario } from "#standins/scenario/read";
import { scaleScenario } from "#standins/scenario/scale";
import type { State } from "#standins/world/state";
import { World } from "#standins/world/world";
import type { Measurement } from "./measurement";

const AT = Date.parse("2026-03-17T10:00:00Z");
const DAY_MS = 86_400_000;

/** Seconds for reading a state whole so many times: what living cannot undercut. */
function reading(state: State, times: number): number {
  const columns = Object.values(state).flatMap((kind) =>
    typeof kind === "object" ? Object.values(kind as object) : [],
  );
  const began = performance.now();
  let sum = 0;
  for (let time = 0; time < times; time++)
    for (const column of columns as Float64Array[]) for (const value of column) sum += value;
  if (Number.isNaN(sum)) throw new Error("The state holds what is no number.");
  return (performance.now() - began) / 1000;
}

/** The stand-in world: a fortnight of the demonstration lived through, and a second of one with 2,000 hosts. */
export function benchWorld(root: string): Measurement[] {
  const read = readScenario(JSON.parse(readFileSync(join(root, "scenarios", "halvane.json"), "utf8")));
  if (!read.ok) throw new Error(read.problems.join("\n"));
  const world = new World(read.scenario, AT, AT - 14 * DAY_MS);
  let began = performance.now();
  world.advance(AT);
  const fortnight = (performance.now() - began) / 1000;
  const large = new World(scaleScenario(read.scenario, 2000), AT, AT - 600_000);
  const fault = read.scenario.faults.find((one) => one.id === "store-locked");
  if (!fault) throw new Error("There is no such fault.");
  // While something is on the move it steps second by second.
  large.begin(fault, AT - 540_000, undefined);
  large.advance(AT - 480_000);
  began = performance.now();
  large.advance(AT - 420_000);
  const second = (performance.now() - began) / 60;
  return [
    {
      name: "a fortnight of the demonstration's world lived through",
      value: fortnight,
      unit: "s",
      better: "lower",
      target: 40,
      reference: { name: "reading its state whole once a minute", value: reading(world.state, 14 * 1440) },
    },
    {
      name: "a second of a world of 2,000 hosts in which something is wrong",
      value: second,
      unit: "ms",
      better: "lower",
      target: 250,
      reference: { name: "reading its state whole", value: (reading(large.state, 100) / 100) * 1000 },
    },
  ];
}
