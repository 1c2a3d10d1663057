import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import Database from "better-sqlite3";
import type { Truth } from "./score";

const MINUTE_MS = 60_000;

/** One act of a policy in a case. */
export interface Act {
  policy: string;
  runbook: string;
  component: string;
  host: string;
  startedAtMs: number;
  state: string;
  proof: string | null;
  proofAtMs: number | null;
  /** It was on none of the things that were at fault. */
  isWrong: boolean;
  /** Wrong, and a service that it serves and that the fault does not reach was hurt just after. */
  hurt: string[];
}

/** How a case went with policies at automatic. */
export interface RepairRecord {
  scenario: string;
  id: string;
  group: string;
  hasRepair: boolean;
  /** The fault was over before anybody did anything by hand. */
  repaired: boolean;
  /** From its beginning to the proof of the act that ended it. */
  onsetToProofMs: number | undefined;
  acts: Act[];
}

/** A set-up file by which every ready policy acts by itself, as somebody would have it who trusts them all. */
export function trustingAll(root: string, setup: string): string {
  const policies = readdirSync(join(root, "kits")).flatMap(
    (name) =>
      (JSON.parse(readFileSync(join(root, "kits", name), "utf8")) as { policies?: { name: string }[] }).policies ?? [],
  );
  const levels = Object.fromEntries(policies.map(({ name }) => [name, "automatic"]));
  return JSON.stringify({ ...(JSON.parse(setup) as object), policies: levels });
}

/** Every policy is trusted to act again, as somebody would have it who trusts them all: a case says nothing of the next. */
export function trustAgain(data: string): void {
  const db = new Database(join(data, "holotaxis.db"), { timeout: 10_000 });
  db.exec(
    `UPDATE policy SET definition = json_set(definition, '$.level', 'automatic'), fell_back_at = NULL, fell_back_why = ''
     WHERE json_extract(definition, '$.level') <> 'automatic'`,
  );
  db.close();
}

/** What policies did between two instants. */
export function actsIn(data: string, fromMs: number, toMs: number, truth: Truth): Act[] {
  const db = new Database(join(data, "holotaxis.db"), { readonly: true });
  const rows = db
    .prepare(
      `SELECT p.name AS policy, b.uid AS runbook, c.id AS id, c.name AS component, c.site AS site, coalesce(h.name, c.name) AS host,
         r.started_at AS startedAtMs, r.state, r.proof, r.proof_at AS proofAtMs, r.args
       FROM run r JOIN policy p ON p.id = r.policy_id JOIN runbook b ON b.id = r.runbook_id
         JOIN component c ON c.id = r.component_id LEFT JOIN component h ON h.id = c.host_id
       WHERE r.started_at BETWEEN ? AND ? ORDER BY r.started_at`,
    )
    .all(fromMs, toMs) as (Omit<Act, "isWrong" | "hurt"> & { id: number; site: string; args: string })[];
  const hurtAfter = db.prepare(
    `SELECT DISTINCT s.name FROM health h JOIN service s ON s.id = h.subject_id
       JOIN member m ON m.service_id = s.id AND m.component_id = ?
     WHERE h.subject = 'service' AND h.severity IN ('critical', 'major') AND h.valid_from BETWEEN ? AND ?`,
  );
  const accepted = truth.roots.flat();
  const short = (name: string) => name.split(".")[0] ?? name;
  const reached = new Set([...truth.services.degraded, ...truth.services.down]);
  const acts = rows.map(({ id, site: _site, args: _args, ...row }): Act => {
    const isWrong = !accepted.some((one) =>
      one.between ? row.runbook === "site-line-up" : one.host === short(row.host),
    );
    const hurt = isWrong
      ? (hurtAfter.all(id, row.startedAtMs, row.startedAtMs + 2 * MINUTE_MS) as { name: string }[])
          .map((one) => one.name)
          .filter((name) => !reached.has(name))
      : [];
    return { ...row, isWrong, hurt };
  });
  db.close();
  return acts;
}

const median = (values: readonly number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];

/** What is asked of repairs, and what was measured. */
export function summaryOf(records: readonly RepairRecord[]) {
  const faults = records.filter((one) => one.hasRepair);
  const benign = records.filter((one) => !one.hasRepair);
  const times = faults.flatMap((one) => (one.onsetToProofMs === undefined ? [] : [one.onsetToProofMs]));
  const acts = records.flatMap((one) => one.acts);
  const middle = median(times);
  return {
    cases: faults.length,
    repaired: faults.filter((one) => one.repaired).length,
    repairedShare: faults.length ? faults.filter((one) => one.repaired).length / faults.length : 0,
    medianOnsetToProofSeconds: middle === undefined ? null : Math.round(middle / 1000),
    acts: acts.length,
    wrongActs: acts.filter((one) => one.isWrong).length,
    wrongActsThatHurt: acts.filter((one) => one.hurt.length > 0).length,
    benignCases: benign.length,
    actsInBenignCases: benign.reduce((sum, one) => sum + one.acts.length, 0),
  };
}
