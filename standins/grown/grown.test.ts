import { describe, expect, it } from "vitest";
import { Estate } from "../seen/estate";
import { readScenario } from "../scenario/read";
import { Chance } from "./chance";
import { growEstate } from "./estate";
import { faultOf, growScenario } from "./faults";
import { Choice, KINDS } from "./kinds";

const BUSY_MS = Date.parse("2026-03-17T10:00:00Z");

describe("a grown estate", () => {
  it("is the same for the same seed, and another for another", () => {
    const [first, again, other] = [growScenario(5, 3), growScenario(5, 3), growScenario(6, 3)];
    expect(again).toEqual(first);
    expect(other.scenario.name).not.toBe(first.scenario.name);
  });

  it("stands on its feet in the busy forenoon, whatever the seed", () => {
    for (const seed of [1, 2, 3, 4]) {
      const { scenario } = growScenario(seed, 0);
      const estate = new Estate(scenario, BUSY_MS, BUSY_MS - 30 * 60_000);
      estate.world.advance(BUSY_MS);
      const { layout, state } = estate.world;
      expect(scenario.hosts.length).toBeGreaterThan(15);
      for (const load of layout.loads)
        expect(state.load.failing[load.index], `${seed} ${load.spec.name}`).toBeLessThan(0.02);
      for (const machine of layout.machines)
        expect((state.machine.cores[machine.index] ?? 0) / machine.role.cores, `${seed} ${machine.name}`).toBeLessThan(
          0.7,
        );
      for (const queue of layout.queues)
        expect(state.queue.depth[queue.index], `${seed} ${queue.name}`).toBeLessThan(50);
    }
  });

  it("has room for each kind of fault at a place that may have it, whatever the seed", () => {
    for (let seed = 11; seed <= 18; seed++) {
      const estate = growEstate(seed);
      const choice = new Choice(estate, new Chance(seed));
      const faults = Object.entries(KINDS).flatMap(([kind, grow]) => {
        const grown = grow(choice);
        return grown ? [faultOf(kind, kind, grown.fault)] : [];
      });
      const read = readScenario({ ...estate.draft, faults });
      expect(read.ok ? [] : read.problems, `seed ${seed}`).toEqual([]);
      expect(faults.length).toBeGreaterThan(15);
    }
  });

  it("has faults of many kinds, two at once, and what is nothing wrong", () => {
    const { scenario } = growScenario(3, 12);
    expect(scenario.faults).toHaveLength(12);
    expect(new Set(scenario.drills.map((one) => one.group)).size).toBeGreaterThan(4);
    expect(scenario.drills.filter((one) => one.answer.roots.length === 0)).toHaveLength(4);
  });
});
