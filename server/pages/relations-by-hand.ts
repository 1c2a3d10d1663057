import { BY_HAND, isByHand } from "#core/topology/by-hand";
import { relationsByHand } from "../store/relations";
import { componentById, componentsById } from "../store/estate";
import type { Db } from "../store/database";

/** Relations of a component that people made or hid. */
export function relationsByHandPage(db: Db, { id }: { id: number }) {
  const component = componentById(db, id);
  if (!component) return null;
  const rows = relationsByHand(db, id);
  const names = new Map(
    componentsById(db, new Set(rows.flatMap((row) => [row.from_id, row.to_id]))).map((row) => [row.id, row.name]),
  );
  const shown = (row: (typeof rows)[number]) => ({
    id: row.id,
    type: row.type,
    from: { id: row.from_id, name: names.get(row.from_id) ?? "?" },
    to: { id: row.to_id, name: names.get(row.to_id) ?? "?" },
    detail: row.detail,
    by: row.hidden_by ?? row.seen_by.replace(`${BY_HAND}: `, ""),
    atMs: row.hidden_at ?? row.valid_from,
  });
  return {
    component: { id: component.id, name: component.name, isPresent: component.valid_to === null },
    made: rows.filter((row) => row.hidden_at === null && isByHand(row.seen_by)).map(shown),
    hidden: rows.filter((row) => row.hidden_at !== null).map(shown),
  };
}
