import { outcomeOf, touchedBy } from "#standins/scenario/outcome";
import type { Scenario } from "#standins/scenario/schema";
import type { Thing, Truth } from "./score";

/** How long the world is watched to see what a fault can be felt at. */
const MINUTES = 10;

/** What is true of a drill at an instant of a scenario: its answer, and what each of its faults reaches. */
export function truthOf(scenario: Scenario, drillId: string, atMs: number): Truth {
  const drill = scenario.drills.find((one) => one.id === drillId);
  if (!drill) throw new Error(`There is no drill “${drillId}”.`);
  // What the file says holds at a busy hour; at this one the world is asked.
  const services = outcomeOf(scenario, drillId, atMs, MINUTES);
  const hurt = new Set([...services.degraded, ...services.down]);
  const reach = new Map(drill.faults.map(({ fault }) => [fault, touchedBy(scenario, fault, atMs, MINUTES)]));
  return {
    id: drill.id,
    group: drill.group,
    // Holotaxis has what belongs to a platform by its name alone, as it has hosts.
    roots: drill.answer.roots.map((things) =>
      things.map(({ platform, ...thing }): Thing => (platform === undefined ? thing : { host: platform })),
    ),
    services,
    incidents: drill.answer.incidents,
    noticedWithinMs: drill.answer.noticedWithinSeconds * 1000,
    // A service that is hurt feels whatever is wrong in the drill.
    faultsAt: (thing: Thing) =>
      thing.service === undefined ? faultsAt(thing) : hurt.has(thing.service) ? [...reach.keys()] : [],
  };

  function faultsAt(thing: Thing): string[] {
    return [...reach]
      .filter(([, touched]) =>
        thing.process === undefined
          ? touched.has(thing.host ?? "")
          : touched.has(`${thing.process} @ ${thing.host}`) || touched.has(thing.host ?? ""),
      )
      .map(([fault]) => fault);
  }
}
