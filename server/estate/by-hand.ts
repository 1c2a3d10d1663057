import type { Joined } from "#core/estate/known";
import { keyInWords } from "#core/estate/observation";
import { insertChange } from "../store/changes";
import { PersonError, type Db } from "../store/database";
import { componentById, insertComponent, restoreComponent, type ComponentRow } from "../store/estate";
import { keysOf, pinKeys } from "../store/keys";
import { StoredEstate } from "../store/known";
import { applyChange } from "./apply";

/** Who says it, and when. */
interface Word {
  by: string;
  atMs: number;
}

/** What people say of who is who. */
export class IdentityByHand {
  constructor(
    private readonly db: Db,
    private readonly now: () => number,
    /** Called after a change, with the components that left the estate by it. */
    private readonly onEstate: (retired: readonly number[]) => void,
  ) {}

  join(id: number, into: number, by: string): void {
    this.onEstate(joinByHand(this.db, id, into, { by, atMs: this.now() }));
  }

  /** @returns the id of what was split off */
  split(id: number, keys: readonly string[], name: string, by: string): number {
    const made = splitByHand(this.db, id, keys, name, { by, atMs: this.now() });
    this.onEstate([]);
    return made;
  }

  pin(id: number, key: string, on: boolean, by: string): void {
    pinByHand(this.db, id, key, on, { by, atMs: this.now() });
  }
}

const look = ({ by, atMs }: Word) => ({
  observer: { sourceId: null, label: by, site: "" },
  atMs,
  sinceMs: atMs,
  observations: [],
});

function present(db: Db, id: number): ComponentRow {
  const row = componentById(db, id);
  if (!row || row.valid_to !== null) throw new PersonError("One of the components is not there any more.");
  return row;
}

/**
 * Makes one of two components for ever: its keys are pinned to the one that stays, so that whatever is seen with any of
 * them is that one. Returns what left the estate.
 */
function joinByHand(db: Db, id: number, into: number, word: Word): number[] {
  return db.transaction(() => {
    const [gone, stays] = [present(db, id), present(db, into)];
    if (id === into) throw new PersonError("A component cannot be joined with itself. Choose another one.");
    if ((gone.host_id === null) !== (stays.host_id === null))
      throw new PersonError(
        `${gone.name} and ${stays.name} cannot be one: one of them runs on a host, the other is none.`,
      );
    const keys = keysOf(db, id).map((one) => one.key);
    const retired = applyChange(
      db,
      new StoredEstate(db),
      look(word),
      { what: "joined", id, into, keys, reason: `${gone.name} too, as ${word.by} says` },
      [],
    );
    pinKeys(db, into, [...keys, ...keysOf(db, into).map((one) => one.key)].filter(isLasting), word.by, word.atMs);
    return retired;
  })();
}

/** Addresses pass from one to another in time; what a person says of them would soon be wrong. */
const isLasting = (key: string) => !/^(addr|listen):/.test(key);

/**
 * Parts a component by some of its keys, for ever: they are pinned to the one that is split off. Where they are those
 * of a component that was merged into it, that one comes back with its history. Returns the id of what was split off.
 */
function splitByHand(db: Db, id: number, keys: readonly string[], name: string, word: Word): number {
  return db.transaction(() => {
    const component = present(db, id);
    const own = new Set(keysOf(db, id).map((one) => one.key));
    if (!keys.length || keys.some((key) => !own.has(key)))
      throw new PersonError(`Choose what ${component.name} was taken for it by; the list has changed, so look again.`);
    if (keys.length === own.size)
      throw new PersonError(`Leave ${component.name} something that it is known by, or rename it instead.`);
    const known = new StoredEstate(db).component(id);
    const former = known?.joined.find((one) => one.keys.every((key) => keys.includes(key)) && one.keys.length > 0);
    const made = former ? comeBack(db, former, id, word) : branchOff(db, component, name, word);
    pinKeys(db, made, keys, word.by, word.atMs);
    // What stays is its own too; where one thing shows signs of both, those that were chosen count.
    const stays = [...own].filter((key) => !keys.includes(key) && isLasting(key));
    pinKeys(db, id, stays, word.by, word.atMs - 1);
    return made;
  })();
}

function comeBack(db: Db, former: Joined, from: number, word: Word): number {
  applyChange(
    db,
    new StoredEstate(db),
    look(word),
    { what: "split", id: former.id, from, keys: [...former.keys], reason: `${word.by} says so` },
    [],
  );
  restoreComponent(db, former.id);
  return former.id;
}

function branchOff(db: Db, from: ComponentRow, name: string, { by, atMs }: Word): number {
  if (!name) throw new PersonError("Give what is split off a name.", { name: "Give it a name." });
  const id = insertComponent(
    db,
    {
      kind: from.kind,
      confidence: 0,
      name,
      site: from.site,
      sourceId: from.source_id,
      hostId: from.host_id,
      address: null,
      depth: 0,
      readBy: "",
      reason: `${by} split it off from ${from.name}`,
      keys: [],
      facts: {},
    },
    atMs,
  );
  insertChange(db, {
    atMs,
    kind: "component",
    componentId: id,
    summary: `${name} is separate from ${from.name}: ${by} says so`,
    by,
  });
  return id;
}

/** Says that a key is a component's for ever, or takes that back. */
function pinByHand(db: Db, id: number, key: string, on: boolean, { by, atMs }: Word): void {
  const component = present(db, id);
  if (!keysOf(db, id).some((one) => one.key === key))
    throw new PersonError(`${component.name} is not known by that any more. Load the page again.`);
  pinKeys(db, id, [key], on ? by : null, on ? atMs : null);
  const summary = `${component.name}: ${keyInWords({ value: key })} ${on ? "is its own for ever" : "may pass to others again"}`;
  insertChange(db, { atMs, kind: "setting", componentId: id, summary, by });
}
