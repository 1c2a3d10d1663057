import { prepared, type Db } from "./database";

/** A way by which people and programs are told. */
export interface ChannelRow {
  id: number;
  kind: string;
  name: string;
  settings: Record<string, unknown>;
  credentialId: number | null;
  isOn: boolean;
}

interface Stored {
  id: number;
  kind: string;
  name: string;
  settings: string;
  credential_id: number | null;
  is_on: number;
}

const CHANNEL = "SELECT id, kind, name, settings, credential_id, is_on FROM channel";

const toChannel = (row: Stored): ChannelRow => ({
  id: row.id,
  kind: row.kind,
  name: row.name,
  settings: JSON.parse(row.settings) as Record<string, unknown>,
  credentialId: row.credential_id,
  isOn: row.is_on === 1,
});

export const listChannels = (db: Db): ChannelRow[] =>
  prepared<Stored>(db, `${CHANNEL} ORDER BY id`).all().map(toChannel);

export function channelById(db: Db, id: number): ChannelRow | undefined {
  const row = prepared<Stored>(db, `${CHANNEL} WHERE id = ?`).get(id);
  return row && toChannel(row);
}

/** @returns its id */
export function saveChannel(
  db: Db,
  id: number | undefined,
  channel: Omit<ChannelRow, "id">,
  by: string,
  atMs: number,
): number {
  const { kind, name, settings, credentialId, isOn } = channel;
  const values = [kind, name, JSON.stringify(settings), credentialId, isOn ? 1 : 0] as const;
  if (id === undefined)
    return Number(
      prepared(
        db,
        "INSERT INTO channel (kind, name, settings, credential_id, is_on, made_at, made_by) VALUES (?, ?, ?, ?, ?, ?, ?)",
      ).run(...values, atMs, by).lastInsertRowid,
    );
  prepared(db, "UPDATE channel SET kind = ?, name = ?, settings = ?, credential_id = ?, is_on = ? WHERE id = ?").run(
    ...values,
    id,
  );
  return id;
}

export function removeChannel(db: Db, id: number): void {
  prepared(db, "DELETE FROM channel WHERE id = ?").run(id);
}
