import { isSamePort } from "#core/topology/wires";
import { MINUTE_MS } from "#core/time/windows";
import { finiteOrNull } from "#core/units/format";
import type { Db } from "../store/database";
import type { RelationRow } from "../store/relations";
import { lastSamples, seriesOfAll, seriesOfComponent } from "../store/signals";
import { chartOf, usualNow } from "./charts";

/** What is measured of a port, in the order in which it is shown. */
const OF_A_PORT = ["net.in", "net.out", "net.errors", "net.discards"] as const;

const BOTH_WAYS = ["net.in", "net.out"] as const;
/** How old what a port told may be. */
const TRAFFIC_MS = 12 * MINUTE_MS;

/**
 * Traffic and errors of a wire, as the port tells of them that it ends in; empty where no port is known. In and out are
 * as the far end sees them.
 */
export function wireOf(
  db: Db,
  relation: Pick<RelationRow, "type" | "detail" | "to_id">,
  { fromMs, toMs, atMs }: { fromMs: number; toMs: number; atMs: number },
) {
  if (relation.type !== "wired-to") return [];
  const own = seriesOfComponent(db, relation.to_id).filter((one) => isSamePort(one.instance, relation.detail));
  return OF_A_PORT.flatMap((metric) => {
    const series = own.find((one) => one.metric === metric);
    if (!series) return [];
    const chart = chartOf(db, series, fromMs, toMs);
    return [{ chart, usual: usualNow(db, series.id, atMs), last: finiteOrNull(chart.legend.last ?? Number.NaN) }];
  });
}

/** Bit/s both ways over each wire at an instant, by relation, where the port that it ends in tells of it. */
export function trafficOf(
  db: Db,
  relations: readonly Pick<RelationRow, "id" | "type" | "detail" | "to_id">[],
  atMs: number,
): Map<number, number> {
  const wires = relations.filter((one) => one.type === "wired-to" && one.detail !== "");
  const sums = new Map<number, number>();
  if (wires.length === 0) return sums;
  const measured = seriesOfAll(db, new Set(wires.map((one) => one.to_id)), BOTH_WAYS);
  const lastOf = lastSamples(db, atMs, TRAFFIC_MS);
  for (const { id, detail, to_id } of wires)
    for (const series of measured.get(to_id) ?? []) {
      if (!isSamePort(series.instance, detail)) continue;
      const last = lastOf(series.id);
      if (last) sums.set(id, (sums.get(id) ?? 0) + last.value);
    }
  return sums;
}
