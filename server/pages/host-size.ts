import { OF_PLATFORM } from "#core/estate/labels";
import type { Db } from "../store/database";
import { inventoryAt } from "../store/estate";
import { factsOfMany } from "../store/facts";

const GIB = 1024 ** 3;
const NAMES = ["processors", `${OF_PLATFORM}processors`, `${OF_PLATFORM}memory GiB`, `${OF_PLATFORM}memory MiB`];

/** Processors and bytes of memory that a host has: as it says itself, else as its platform says; 0 where nobody does. */
export function sizeOfHost(db: Db, id: number, atMs: number): { processors: number; memory: number } {
  const inventory = inventoryAt(db, id, atMs);
  const ram = inventory?.storage.find((row) => row.type === "ram");
  const facts = factsOfMany(db, [id], NAMES, atMs).get(id) ?? {};
  const of = (name: string) => Number(facts[name]) || 0;
  return {
    processors: inventory?.processors || of("processors") || of(`${OF_PLATFORM}processors`),
    memory: ram
      ? ram.sizeUnits * ram.unitBytes
      : of(`${OF_PLATFORM}memory GiB`) * GIB || (of(`${OF_PLATFORM}memory MiB`) * GIB) / 1024,
  };
}
