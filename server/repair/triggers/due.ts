import type { RunnerWorld } from "../world";
import type { ComponentRow } from "../../store/estate";
import type { WatchedRow } from "../../store/runs";

/** A component of which something is due. */
export interface Due {
  component: ComponentRow;
  /** Tells two on the same component from each other: a mount point, a process. */
  instance: string;
  why: string;
  /** `due.instance` and the like. */
  words: Record<string, string>;
}

/** Finds what is due among components. A new one is a file here and a line in the register. */
export interface TriggerEyes<Trigger> {
  /** Between two looks, clock time; those by the clock are not looked for. */
  everyMs: number | null;
  due(trigger: Trigger, scope: readonly ComponentRow[], world: Pick<RunnerWorld, "db" | "now">): Due[];
  /** The figure by which it is seen whether doing it helped. */
  watched?(trigger: Trigger, due: Pick<Due, "instance"> & { componentId: number }, world: RunnerWorld): WatchedRow[];
}
