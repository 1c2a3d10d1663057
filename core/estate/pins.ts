import type { KnownEstate } from "./known";
import type { Observation } from "./observation";

/** Says which component an observation is of by what a person said of its keys; the latest word counts. */
export type PinOf = (one: Observation) => number | undefined;

export const pinsOf =
  (known: KnownEstate): PinOf =>
  ({ keys }) => {
    let latest: { id: number; atMs: number } | undefined;
    for (const { value } of keys) {
      const id = known.ofKey(value);
      const atMs = id === undefined ? undefined : known.component(id)?.pinned.get(value);
      if (id === undefined || atMs === undefined) continue;
      if (!latest || atMs > latest.atMs || (atMs === latest.atMs && id > latest.id)) latest = { id, atMs };
    }
    return latest?.id;
  };
