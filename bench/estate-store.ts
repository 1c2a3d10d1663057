import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { migrate, openStore, prepared, type Db } from "#server/store/database";
import { insertComponent } from "#server/store/estate";
import { putLabel } from "#server/store/labels";
import { insertRelation } from "#server/store/relations";
import { saveService, writeMembers } from "#server/store/services";
import { insertSource } from "#server/store/sources";

const PARTS = 4;
const KINDS = ["app.process", "db.postgresql", "web.server", "queue.broker"];

/** Fills a new store with an estate of so many components, a fifth of them hosts. */
export function fillEstate(root: string, folder: string, size: number): void {
  mkdirSync(folder, { recursive: true });
  const db = openStore(join(folder, "holotaxis.db"), "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  const atMs = Date.now() - 3_600_000;
  db.transaction(() => {
    const sourceId = insertSource(
      db,
      {
        kind: "range",
        name: "Hall",
        site: "Hall",
        settings: { ranges: "127.99.0.0/24", except: "", ports: "", snmpPort: 161 },
        sweeps: { every: "", quiet: "" },
      },
      undefined,
      atMs,
    );
    for (let host = 0; host < size / (PARTS + 1); host++) {
      const name = `rack-${host % 40}-${host}`;
      const address = `10.${host >> 16}.${(host >> 8) & 255}.${host & 255}`;
      const common = { site: `Hall ${host % 6}`, sourceId, reason: "it says so" };
      const id = insertComponent(
        db,
        {
          ...common,
          kind: "host.linux",
          name,
          hostId: null,
          address,
          keys: [`name:${name}`, `addr:${address}`],
          facts: { address, "host name": name, processors: "4" },
        },
        atMs,
      );
      putLabel(db, [id], "owner", `Crew ${host % 12}`, "Anna", atMs);
      for (let part = 0; part < PARTS; part++)
        insertComponent(
          db,
          {
            ...common,
            kind: KINDS[part] as string,
            name: `service-${part} @ ${name}`,
            hostId: id,
            address: null,
            process: `service-${part}`,
            keys: [`process:name:${name}:service-${part}`],
            facts: { process: `service-${part}`, ports: String(8000 + part) },
          },
          atMs,
        );
    }
  })();
  db.close();
}

/** Relations of a filled estate: what runs where, and so many in all that calls make up the rest; and a service on it. */
function relateEstate(db: Db, relations: number): void {
  const since = Date.now() - 3_600_000;
  const ids = prepared<{ id: number; host_id: number | null }>(
    db,
    "SELECT id, host_id FROM component ORDER BY id",
  ).all();
  db.transaction(() => {
    let made = 0;
    for (const { id, host_id } of ids)
      if (host_id !== null) {
        insertRelation(
          db,
          { type: "runs-on", fromId: id, toId: host_id, detail: "", connections: 0, seenBy: "x" },
          since,
        );
        made++;
      }
    for (let at = 0; made < relations; at++, made++)
      insertRelation(
        db,
        {
          type: "talks-to",
          fromId: ids[(at * 7) % ids.length]?.id as number,
          toId: ids[(at * 31 + 3) % ids.length]?.id as number,
          detail: `tcp/${8000 + (at % 9)}`,
          connections: 1 + (at % 5),
          seenBy: "x",
        },
        since,
      );
    const members = new Set(ids.slice(0, 200).map((row) => row.id));
    const service = saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, since);
    writeMembers(db, service, members, new Set([...members].slice(0, 3)), since);
  })();
}

/** Fills a new store with an estate of so many components and relations. */
export function fillLargeMap(root: string, folder: string, components: number, relations: number): void {
  fillEstate(root, folder, components);
  const db = openStore(join(folder, "holotaxis.db"), "writer");
  relateEstate(db, relations);
  db.close();
}
