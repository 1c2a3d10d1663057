import { guestKey } from "#core/estate/guests";
import type { Db } from "../store/database";
import { componentById, inventoryAt } from "../store/estate";
import { guestsOfHypervisors, type RelationRow } from "../store/relations";
import { healthAt } from "../store/services";
import { lastSample, seriesOfMetric } from "../store/signals";

/** How long before an instant a value may have been measured to count for it. */
export const RECENT_MS = 15 * 60_000;

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
  return relations
    .filter((row) => row.type === "hosted-by" && row.to_id === hypervisor)
    .map(({ from_id: id }) => {
      const used = value(id, "guest.cpu.used");
      const count = processors.get(keys.get(id) ?? "") ?? null;
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
        memoryBytes: value(id, "guest.memory"),
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
