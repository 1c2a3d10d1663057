import { prepared, type Db } from "./database";

export interface EvidenceRow {
  id: number;
  incident_id: number | null;
  kind: "chart" | "map";
  title: string;
  address: string;
  detail: string;
  from_at: number;
  to_at: number;
  pinned_by: string;
  pinned_at: number;
}

export type NewEvidence = Omit<EvidenceRow, "id" | "pinned_at">;

export function pinEvidence(db: Db, evidence: NewEvidence, atMs: number): number {
  return Number(
    prepared(
      db,
      `INSERT INTO evidence (incident_id, kind, title, address, detail, from_at, to_at, pinned_by, pinned_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    ).run(
      evidence.incident_id,
      evidence.kind,
      evidence.title,
      evidence.address,
      evidence.detail,
      evidence.from_at,
      evidence.to_at,
      evidence.pinned_by,
      atMs,
    ).lastInsertRowid,
  );
}

export function attachEvidence(db: Db, by: string, incidentId: number): number {
  return prepared(db, "UPDATE evidence SET incident_id = ? WHERE incident_id IS NULL AND pinned_by = ?").run(
    incidentId,
    by,
  ).changes;
}

export function evidenceById(db: Db, id: number): EvidenceRow | undefined {
  return prepared<EvidenceRow>(db, "SELECT * FROM evidence WHERE id = ?").get(id);
}

export function removeEvidence(db: Db, id: number): void {
  prepared(db, "DELETE FROM evidence WHERE id = ?").run(id);
}

/** What a person has pinned and not attached to an incident yet. */
export function looseEvidence(db: Db, by: string): EvidenceRow[] {
  return prepared<EvidenceRow>(
    db,
    "SELECT * FROM evidence WHERE incident_id IS NULL AND pinned_by = ? ORDER BY pinned_at DESC LIMIT 50",
  ).all(by);
}

export function evidenceOfIncident(db: Db, incidentId: number): EvidenceRow[] {
  return prepared<EvidenceRow>(db, "SELECT * FROM evidence WHERE incident_id = ? ORDER BY pinned_at").all(incidentId);
}
