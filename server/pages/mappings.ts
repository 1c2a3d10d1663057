import { parseMapping } from "#core/platforms/mapping";
import type { Db } from "../store/database";
import { listCredentials } from "../store/credentials";
import { listMappings, mappingNamed, SHIPPED } from "../store/platforms";
import { listSources } from "../store/sources";
import { kindOfCredential } from "../vault/kinds";

/** Sources by the mapping that they are read with. */
const users = (db: Db, name: string) =>
  listSources(db).filter(
    ({ settings }) => String((settings as { mapping?: unknown }).mapping ?? "").toLowerCase() === name.toLowerCase(),
  );

export function mappingsPage(db: Db, _asked: object) {
  return listMappings(db).map(({ name, text, changed_at, changed_by }) => {
    const read = parseMapping(text);
    return {
      name,
      about: read.ok ? read.mapping.about : read.problems.join(" "),
      lists: read.ok ? read.mapping.lists.map((one) => one.name) : [],
      sources: users(db, name).map(({ id, name: source }) => ({ id, name: source })),
      changedAt: changed_at,
      changedBy: changed_by,
      isShipped: changed_by === SHIPPED,
    };
  });
}

/** A mapping with what it can be tried with; an empty one for a new one. */
export function mappingPage(db: Db, { name }: { name: string | null }) {
  const row = name === null ? undefined : mappingNamed(db, name);
  if (name !== null && !row) return null;
  const of = name === null ? [] : users(db, name);
  return {
    name: row?.name ?? null,
    text: row?.text ?? "",
    changedBy: row?.changed_by ?? null,
    sources: of.map((one) => one.name),
    /** Of the first source that uses it. */
    address: String((of[0]?.settings as { address?: unknown } | undefined)?.address ?? ""),
    credentials: listCredentials(db)
      .filter((one) => kindOfCredential(one.kind)?.serves === "http" && !one.isOwn)
      .map((one) => ({
        id: one.id,
        name: one.name,
        kind: kindOfCredential(one.kind)?.label ?? one.kind,
        destinations: one.destinations,
      })),
  };
}
