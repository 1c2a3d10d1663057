import { finiteOrNull } from "#core/units/format";
import type { Db } from "../store/database";
import type { RelationRow } from "../store/relations";
import { seriesOfComponent } from "../store/signals";
import { chartOf, usualNow } from "./charts";

/** What is measured of a port, in the order in which it is shown. */
const OF_A_PORT = ["net.in", "net.out", "net.errors", "net.discards"] as const;

/** Names of ports are written in many ways: "port 9", "Port9". */
const plain = (name: string) => name.toLowerCase().replaceAll(/[^a-z0-9/.]/g, "");

/**
 * Traffic and errors of a wire, as the port tells of them that it ends in; empty where no port is known. In and out are
 * as the far end sees them.
 */
export function wireOf(
  db: Db,
  relation: Pick<RelationRow, "type" | "detail" | "to_id">,
  { fromMs, toMs, atMs }: { fromMs: number; toMs: number; atMs: number },
) {
  const port = plain(relation.detail);
  if (relation.type !== "wired-to" || port === "") return [];
  const own = seriesOfComponent(db, relation.to_id).filter((one) => plain(one.instance) === port);
  return OF_A_PORT.flatMap((metric) => {
    const series = own.find((one) => one.metric === metric);
    if (!series) return [];
    const chart = chartOf(db, series, fromMs, toMs);
    return [{ chart, usual: usualNow(db, series.id, atMs), last: finiteOrNull(chart.legend.last ?? Number.NaN) }];
  });
}
