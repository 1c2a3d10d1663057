import { isHostLike } from "#core/catalogue/kinds";
import { guestKey } from "#core/estate/guests";
import { OF_PLATFORM } from "#core/estate/labels";
import type { Db } from "../store/database";
import { componentById, inventoryAt } from "../store/estate";
import { factsOfMany } from "../store/facts";
import { guestsOfHypervisors, type RelationRow } from "../store/relations";
import { healthAt } from "../store/services";
import { lastSample, seriesOfMetric } from "../store/signals";

/** How long before an instant a value may have been measured to count for it. */
export const RECENT_MS = 15 * 60_000;

const PROCESSORS = `${OF_PLATFORM}processors`;
const MEMORY_MIB = `${OF_PLATFORM}memory MiB`;
const MIB = 1024 * 1024;
const numberFrom = (text: string | undefined): number | null => {
  const value = Number(text);
  return text !== undefined && Number.isFinite(value) && value > 0 ? value : null;
};
const times = (value: number | null, by: number) => (value === null ? null : value * by);

/** The virtual machines of a hypervisor at an instant, the one that takes most processors first. */
export function guestsOf(db: Db, hypervisor: number, relations: readonly RelationRow[], atMs: number) {
  const value = (id: number, metric: string) => {
    const series = seriesOfMetric(db, id, metric);
    return series ? (lastSample(db, series.id, atMs, RECENT_MS)?.value ?? null) : null;
  };
  const processors = new Map(
    (inventoryAt(db, hypervisor, atMs)?.guests ?? []).map((guest) => [guestKey(guest, hypervisor), guest.processors]),
  );
  const health = healthAt(db, "component", atMs);
  const keys = new Map(guestsOfHypervisors(db).map((row) => [row.guest, row.key]));
  // Several may say that it hosts a machine; it hosts networks and disks too.
  const ids = [
    ...new Set(relations.flatMap((row) => (row.type === "hosted-by" && row.to_id === hypervisor ? [row.from_id] : []))),
  ].filter((id) => isHostLike(componentById(db, id)?.kind ?? ""));
  const told = factsOfMany(db, ids, [PROCESSORS, MEMORY_MIB], atMs);
  return ids
    .map((id) => {
      const used = value(id, "guest.cpu.used");
      const count = processors.get(keys.get(id) ?? "") ?? numberFrom(told.get(id)?.[PROCESSORS]);
      const row = componentById(db, id);
      return {
        id,
        name: row?.name ?? "",
        kind: row?.kind ?? "",
        severity: health.get(id)?.severity ?? ("cleared" as const),
        running: value(id, "guest.running") !== 0,
        /** Its own system is read, not its hypervisor's word alone. */
        isPolled: (row?.depth ?? 0) >= 2,
        processors: count,
        usedPercent: used,
        processorsUsed: used === null || count === null ? null : (used / 100) * count,
        ownPercent: value(id, "cpu.used"),
        memoryBytes: value(id, "guest.memory") ?? times(numberFrom(told.get(id)?.[MEMORY_MIB]), MIB),
      };
    })
    .sort((a, b) => (b.processorsUsed ?? -1) - (a.processorsUsed ?? -1));
}

/** The machine that takes a telling share of the processors in use, if one does. */
export function leadingGuest(
  guests: ReturnType<typeof guestsOf>,
): { name: string; processors: number; share: number } | undefined {
  const total = guests.reduce((sum, guest) => sum + (guest.processorsUsed ?? 0), 0);
  const first = guests[0];
  if (!first?.processorsUsed || total <= 0) return undefined;
  return { name: first.name, processors: first.processorsUsed, share: first.processorsUsed / total };
}
