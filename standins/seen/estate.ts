import { seedOf, wander } from "../rhythm";
import type { Scenario, ScenarioChange, ScenarioDrill, ScenarioFault } from "../scenario/schema";
import type { Spell } from "../world/effects";
import { World } from "../world/world";
import { HostView } from "./host-view";

/** A drill with what it is made of: one of the file's, or a fault that no drill names. */
export interface Drill extends ScenarioDrill {
  parts: { fault: ScenarioFault; afterSeconds: number }[];
}

/** A change that is told of, with the version where it is a release. */
export interface ToldChange {
  id: string;
  atMs: number;
  change: ScenarioChange & { version?: string };
}

/** The pretended estate as it shows itself: its hosts, its figures, its drills. */
export class Estate {
  readonly world: World;
  readonly hosts: HostView[];
  readonly drills: Drill[];
  private readonly byName: Map<string, HostView>;

  /** @param anchorMs the instant that "before" and "since" in the scenario count from */
  constructor(
    readonly scenario: Scenario,
    readonly anchorMs: number,
    fromMs?: number,
    world = new World(scenario, anchorMs, fromMs),
  ) {
    this.world = world;
    this.hosts = this.world.layout.machines.map((machine) => new HostView(this.world, machine));
    this.byName = new Map(this.hosts.map((host) => [host.name, host]));
    this.drills = drillsOf(scenario);
  }

  /** The same estate to be looked at at other instants, without disturbing whoever looks at this one. */
  fork(): Estate {
    return new Estate(this.scenario, this.anchorMs, undefined, this.world.fork());
  }

  host(name: string): HostView | undefined {
    return this.byName.get(name);
  }

  // --- drills

  private spellsOf(id: string, atMs: number): Spell[] {
    return this.world.spells.filter((one) => one.drillId === id && one.toMs > atMs);
  }

  /** Begins everything that a drill is made of. Undefined where there is none such, or it is under way. */
  startDrill(id: string, atMs: number): Drill | undefined {
    const drill = this.drills.find((one) => one.id === id);
    if (!drill || this.isActive(id, atMs)) return undefined;
    for (const { fault, afterSeconds } of drill.parts) this.world.begin(fault, atMs + afterSeconds * 1000, id);
    if (drill.benign.length) this.world.beginBenign(drill.benign, atMs, id);
    return drill;
  }

  /** Drills that somebody ended, at which instant. */
  private readonly stopped = new Map<string, number>();

  /** When a drill that is not under way was last over, and whether its repairs ended it or somebody did. */
  endOf(id: string, atMs: number): { atMs: number; how: "repaired" | "ended" } | undefined {
    const spells = this.world.spells.filter((one) => one.drillId === id);
    if (!spells.length || this.isActive(id, atMs)) return undefined;
    const last = Math.max(...spells.map((one) => one.toMs));
    return { atMs: last, how: this.stopped.get(id) === last ? "ended" : "repaired" };
  }

  /** Ends what is left of a drill, as its repairs would have. */
  stopDrill(id: string, atMs: number): boolean {
    const spells = this.spellsOf(id, atMs);
    for (const spell of spells) {
      // What has not begun yet never does, and leaves nothing to mend.
      this.world.end(spell, atMs, spell.fromMs <= atMs);
      this.stopped.set(id, Math.max(this.stopped.get(id) ?? 0, spell.toMs));
    }
    return spells.length > 0;
  }

  isActive(id: string, atMs: number): boolean {
    return this.spellsOf(id, atMs).length > 0;
  }

  /** Since when anything of a drill has been at work; undefined when nothing is. */
  activeSince(id: string, atMs: number): number | undefined {
    const spells = this.spellsOf(id, atMs);
    return spells.length ? Math.min(...spells.map((one) => one.fromMs)) : undefined;
  }

  /** Changes that came with what began after `fromMs` and up to `toMs`. */
  changesBetween(fromMs: number, toMs: number): ToldChange[] {
    return this.world.spells.flatMap((spell) => {
      if (spell.fromMs <= fromMs || spell.fromMs > toMs) return [];
      const drill = this.drills.find((one) => one.id === spell.drillId);
      const own = spell.fault ? [spell.fault.change] : (drill?.changes ?? []);
      const release = spell.effects.find((one) => one.what === "version");
      return own.flatMap((change, index) =>
        change
          ? [
              {
                // It says nothing of which drill it belongs to.
                id: (seedOf(`${spell.faultId ?? spell.drillId} ${index}`, spell.fromMs | 0) >>> 0).toString(16),
                atMs: spell.fromMs,
                change: { ...change, ...(release?.what === "version" ? { version: release.version } : {}) },
              },
            ]
          : [],
      );
    });
  }

  // --- figures

  /** Value of a business figure, or undefined while its host does not answer. */
  figure(metric: string, atMs: number): number | undefined {
    const { layout } = this.world;
    const figure = layout.figures.find((one) => one.spec.metric === metric);
    if (!figure) return undefined;
    const state = this.world.advance(atMs);
    if (!this.world.isReached(figure.machine)) return undefined;
    const { spec } = figure;
    let value = 0;
    if (spec.counts)
      value =
        (state.figure.perSecond[figure.index] as number) * (spec.counts.per === "hour" ? 3600 : 60) * spec.counts.times;
    else if (figure.queue) {
      value = state.queue.depth[figure.queue.index] as number;
      for (const consumer of figure.queue.consumers) value += state.station.busy[consumer.station.index] as number;
    } else if (spec.lasts) value = (state.figure.response[figure.index] as number) * spec.lasts.times;
    else if (figure.rhythm) value = spec.low + (spec.high - spec.low) * figure.rhythm.level(atMs);
    value *=
      1 +
      spec.wander * wander(figure.seed, atMs, 9 * 60_000) +
      0.5 * spec.wander * wander(figure.seed + 1, atMs, 50 * 60_000);
    return Math.max(0, Math.round(value * 100) / 100);
  }
}

function drillsOf(scenario: Scenario): Drill[] {
  const faults = new Map(scenario.faults.map((one) => [one.id, one]));
  const own = scenario.drills.map((drill) => ({
    ...drill,
    parts: drill.faults.map((one) => ({
      fault: faults.get(one.fault) as ScenarioFault,
      afterSeconds: one.afterSeconds,
    })),
  }));
  const named = new Set(scenario.drills.flatMap((one) => one.faults.map((each) => each.fault)));
  return [
    ...own,
    ...scenario.faults
      .filter((fault) => !named.has(fault.id))
      .map((fault) => ({
        id: fault.id,
        title: fault.title,
        story: fault.story,
        group: "",
        busy: false,
        faults: [{ fault: fault.id, afterSeconds: 0 }],
        benign: [],
        changes: [],
        answer: { roots: [], degraded: [], down: [], incidents: 1, noticedWithinSeconds: 300 },
        parts: [{ fault, afterSeconds: 0 }],
      })),
  ];
}
