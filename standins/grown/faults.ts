import { outcomeOf, touchedBy } from "../scenario/outcome";
import { readScenario } from "../scenario/read";
import type { Scenario } from "../scenario/schema";
import { Chance } from "./chance";
import { growEstate, type Draft, type DraftDrill, type DraftFault, type GrownEstate } from "./estate";
import { Choice, KINDS, type Grown } from "./kinds";

/** An instant at which there is much to do: a fault that is felt nowhere then is none to find. */
const BUSY_MS = Date.parse("2026-03-17T10:00:00Z");
/** Minutes within which a fault has to be felt, and how often another place is looked for. */
const FELT_MINUTES = 5;
const TRIES = 6;

/** What goes wrong with a host itself has to be found whoever feels it. */
const OF_HOSTS: ReadonlySet<string> = new Set(["power", "disk", "memory"]);

const words = (kind: string) => kind.replaceAll("-", " ");

/**
 * An estate that nobody has seen, with drills: of the kinds of faults so many, each where it is felt in the busy forenoon, two
 * at once, and what is nothing wrong. Nothing of it is in the repository: the same seed gives the same one.
 * @param seed whole number
 * @param faults of how many kinds
 */
export function growScenario(seed: number, faults = 18): { scenario: Scenario; setup: object } {
  const estate = growEstate(seed);
  const { draft } = estate;
  const chance = new Chance(seed ^ 0x5eed);
  const choice = new Choice(estate, chance);
  const kept: { id: string; grown: Grown }[] = [];
  for (const kind of chance.mixed(Object.keys(KINDS))) {
    if (kept.length === faults) break;
    const grown = feltOne(draft, kind, choice);
    if (grown) kept.push({ id: kind, grown });
  }
  for (const { id, grown } of kept) {
    const where = grown.roots[0]?.host ?? grown.roots[0]?.between?.join(" to ") ?? "";
    const title = `${words(id)} at ${where}`.slice(0, 80);
    draft.faults?.push(faultOf(id, title, grown.fault));
    draft.drills?.push({
      id,
      title,
      story: title,
      group: grown.group,
      busy: true,
      faults: [{ fault: id }],
      answer: { roots: [grown.roots], incidents: 1 },
    });
  }
  twoAtOnce(draft, kept);
  nothingWrong(estate, chance);
  const read = readScenario(draft);
  if (!read.ok) throw new Error(`The grown estate ${seed} does not hold:\n${read.problems.join("\n")}`);
  return { scenario: read.scenario, setup: estate.setup };
}

/** A fault as a scenario has it. */
export const faultOf = (id: string, title: string, fault: Grown["fault"]): DraftFault => ({
  id,
  title,
  story: title,
  cause: title,
  repair: "As it is ended",
  ...fault,
});

/** A fault of a kind, at a place where the world feels it. */
function feltOne(draft: Draft, kind: string, choice: Choice): Grown | undefined {
  for (let attempt = 0; attempt < TRIES; attempt++) {
    const grown = KINDS[kind]?.(choice);
    if (!grown) return undefined;
    const read = readScenario({ ...draft, faults: [faultOf(kind, kind, grown.fault)], drills: [] });
    if (!read.ok) throw new Error(`${kind}:\n${read.problems.join("\n")}`);
    const touched = [...touchedBy(read.scenario, kind, BUSY_MS, FELT_MINUTES)];
    // A machine that has more or less to do is nothing that anybody has to find, as long as what runs there answers as ever.
    if (touched.some((name) => name.includes(" @ ")) || (touched.length > 0 && OF_HOSTS.has(grown.group))) return grown;
  }
  return undefined;
}

/** Two faults of unlike groups that have nothing to do with each other as far as the world goes, a minute apart. */
function twoAtOnce(draft: Draft, kept: readonly { id: string; grown: Grown }[]): void {
  const read = readScenario(draft);
  if (!read.ok) throw new Error(read.problems.join("\n"));
  const { scenario } = read;
  const reach = new Map(kept.map(({ id }) => [id, touchedBy(scenario, id, BUSY_MS, FELT_MINUTES)]));
  const services = (drill: string) => {
    const { degraded, down } = outcomeOf(scenario, drill, BUSY_MS, FELT_MINUTES);
    return [...degraded, ...down];
  };
  const hurt = new Map(kept.map(({ id }) => [id, services(id)]));
  const roles = new Map(
    kept.map(({ id, grown }) => [
      id,
      grown.roots.map(({ host }) => draft.hosts.find((one) => one.name === host)?.role ?? ""),
    ]),
  );
  for (const [index, first] of kept.entries())
    for (const second of kept.slice(index + 1)) {
      const shared = (of: ReadonlyMap<string, Iterable<string>>) =>
        [...(of.get(first.id) ?? [])].some((one) => [...(of.get(second.id) ?? [])].includes(one));
      if (shared(reach) || shared(hurt) || shared(roles) || first.grown.group === second.grown.group) continue;
      draft.drills?.push({
        id: "two-at-once",
        title: `${words(first.id)} and ${words(second.id)}`.slice(0, 80),
        story: "Two that have nothing to do with each other",
        group: "double",
        busy: true,
        faults: [{ fault: first.id }, { fault: second.id, afterSeconds: 60 }],
        answer: { roots: [first.grown.roots, second.grown.roots], incidents: 2 },
      });
      return;
    }
}

/** What is nothing wrong: more to do, a planned restart, memory used as a cache, a copy. */
function nothingWrong({ draft, stations }: GrownEstate, chance: Chance): void {
  const load = chance.one(draft.loads ?? []).name;
  const app = chance.one(stations.filter((one) => one.work === "app" || one.work === "box"));
  const restarted = chance.one(app.hosts);
  const copier = stations.find((one) => one.work === "copier");
  const benign = (id: string, effects: DraftDrill["benign"], changes: DraftDrill["changes"] = []) =>
    draft.drills?.push({
      id,
      title: words(id),
      story: words(id),
      group: "nothing wrong",
      faults: [],
      benign: effects,
      changes,
      answer: { roots: [], incidents: 0 },
    });
  benign("more-to-do", [{ what: "load", load, times: 1.3, riseSeconds: 200 }]);
  benign(
    "planned-restart",
    [{ what: "restart", host: restarted, process: app.process, awaySeconds: 6, afterSeconds: 20 }],
    [
      {
        what: "work",
        host: restarted,
        process: app.process,
        text: `Restart of ${app.process}`,
        by: "Operations",
        ticket: "T-200",
      },
    ],
  );
  benign("memory-as-cache", [{ what: "cache", host: copier?.hosts[0] ?? restarted, toPercent: 93, riseSeconds: 200 }]);
  benign("copy-now", [{ what: "job", job: "keep-copy" }]);
}
