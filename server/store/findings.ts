import type { Subject } from "./alarms";
import { prepared, type Db } from "./database";

/** What was found odd and raised no alarm. */
export interface FindingRow {
  id: number;
  subject_type: Subject["type"];
  subject_id: number;
  /** Name of the subject, and its kind where it is a component. */
  subject: string;
  kind: string;
  host_id: number | null;
  site: string;
  rule_id: number | null;
  series_id: number | null;
  detector: string;
  metric: string;
  direction: "above" | "below";
  qualifier: string;
  score: number;
  onset_at: number;
  found_at: number;
  ended_at: number | null;
  text: string;
}

export interface NewFinding {
  subject: Subject;
  ruleId: number;
  seriesId: number | null;
  detector: string;
  metric: string;
  direction: "above" | "below";
  qualifier: string;
  score: number;
  onsetMs: number;
  text: string;
}

/** Keeps a finding; one of the same that did not end yet stays as it is, with the higher score. */
export function keepFinding(db: Db, finding: NewFinding, atMs: number): void {
  prepared(
    db,
    `INSERT INTO odd_finding (subject_type, subject_id, rule_id, series_id, detector, metric, direction, qualifier, score, onset_at, found_at, text)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
     ON CONFLICT (subject_type, subject_id, metric, direction, qualifier) WHERE ended_at IS NULL
     DO UPDATE SET score = max(score, excluded.score), text = excluded.text`,
  ).run(
    finding.subject.type,
    finding.subject.id,
    finding.ruleId,
    finding.seriesId,
    finding.detector,
    finding.metric,
    finding.direction,
    finding.qualifier,
    finding.score,
    finding.onsetMs,
    atMs,
    finding.text,
  );
}

export function endFinding(
  db: Db,
  { subject, metric, direction, qualifier }: Pick<NewFinding, "subject" | "metric" | "direction" | "qualifier">,
  atMs: number,
): void {
  prepared(
    db,
    `UPDATE odd_finding SET ended_at = ? WHERE subject_type = ? AND subject_id = ? AND metric = ? AND direction = ?
     AND qualifier = ? AND ended_at IS NULL`,
  ).run(atMs, subject.type, subject.id, metric, direction, qualifier);
}

/** Ends what rules found that are not there any more. */
export function endFindingsWithout(db: Db, rules: ReadonlySet<number>, atMs: number): void {
  prepared(
    db,
    `UPDATE odd_finding SET ended_at = ? WHERE ended_at IS NULL
     AND (rule_id IS NULL OR rule_id NOT IN (SELECT value FROM json_each(?)))`,
  ).run(atMs, JSON.stringify([...rules]));
}

/** Forgets what ended and was found before an instant. */
export function forgetFindings(db: Db, beforeMs: number): void {
  prepared(db, "DELETE FROM odd_finding WHERE found_at < ? AND ended_at IS NOT NULL").run(beforeMs);
}

/** What was found odd at some time of a window, the farthest out first. */
export function findingsIn(db: Db, fromMs: number, toMs: number, most: number): FindingRow[] {
  return prepared<FindingRow>(
    db,
    `SELECT f.id, f.subject_type, f.subject_id, coalesce(c.name, v.name, s.name, 'Holotaxis') AS subject,
       coalesce(c.kind, f.subject_type) AS kind, c.host_id, coalesce(c.site, '') AS site, f.rule_id, f.series_id,
       f.detector, f.metric, f.direction, f.qualifier, f.score, f.onset_at, f.found_at, f.ended_at, f.text
     FROM odd_finding f LEFT JOIN component c ON f.subject_type = 'component' AND c.id = f.subject_id
     LEFT JOIN service v ON f.subject_type = 'service' AND v.id = f.subject_id
     LEFT JOIN source s ON f.subject_type = 'source' AND s.id = f.subject_id
     WHERE f.onset_at <= ? AND (f.ended_at IS NULL OR f.ended_at >= ?) ORDER BY f.score DESC, f.onset_at LIMIT ?`,
  ).all(toMs, fromMs, most);
}

/** What is out of its usual range at some time of a window, as findings or alarms, with the score. */
export const unusualIn = (
  db: Db,
  fromMs: number,
  toMs: number,
): {
  subject_type: Subject["type"];
  subject_id: number;
  metric: string;
  score: number;
  foundMs: number;
  endedMs: number | null;
}[] =>
  prepared<ReturnType<typeof unusualIn>[number]>(
    db,
    `SELECT subject_type, subject_id, metric, score, found_at AS foundMs, ended_at AS endedMs FROM odd_finding
     WHERE detector = 'usual' AND found_at <= :to AND (ended_at IS NULL OR ended_at > :from)
     UNION ALL
     SELECT subject_type, subject_id, metric, score, raised_at, cleared_at FROM alarm
     WHERE detector = 'usual' AND raised_at <= :to AND (cleared_at IS NULL OR cleared_at > :from)`,
  ).all({ from: fromMs, to: toMs });

/** Spans in which a series was told to be out of the ordinary, by alarms and findings: those are not learned from. */
export function oddSpansOf(db: Db, seriesId: number, fromMs: number): { fromMs: number; toMs: number }[] {
  return prepared<{ fromMs: number; toMs: number }>(
    db,
    `SELECT onset_at AS fromMs, coalesce(cleared_at, 9e15) AS toMs FROM alarm WHERE series_id = :id AND coalesce(cleared_at, 9e15) > :from
     UNION ALL
     SELECT onset_at, coalesce(ended_at, 9e15) FROM odd_finding WHERE series_id = :id AND coalesce(ended_at, 9e15) > :from`,
  ).all({ id: seriesId, from: fromMs });
}
