import { changesIn } from "../store/changes";
import { withTickets } from "../changes/with-tickets";
import type { ChangeDetector, ChangeInput } from "#core/detection/detector";
import type { Replayed } from "#core/detection/replay";
import type { RuleInput } from "#core/detection/rule";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { previewOf, wantedOf } from "./preview-shape";

const MOST_READ = 20_000;

/** Which changes of the past a rule would have told of. */
export function changePreview(db: Db, rule: RuleInput, detector: ChangeDetector, fromMs: number, toMs: number) {
  const wanted = wantedOf(db, rule, toMs);
  const lines = withTickets(db, changesIn(db, fromMs, toMs, MOST_READ), toMs);
  const rows = new Map(
    componentsById(db, new Set(lines.flatMap((one) => one.component_id ?? []))).map((row) => [row.id, row]),
  );
  const byComponent = new Map<number, ChangeInput["changes"][number][]>();
  for (const line of lines) {
    const row = rows.get(line.component_id ?? 0);
    if (!row || !wanted(row.id, row.kind)) continue;
    const list = byComponent.get(row.id) ?? [];
    byComponent.set(row.id, list);
    list.push({ atMs: line.at, kind: line.kind, summary: line.summary, by: line.by_whom, standing: line.standing });
  }
  const standsMs = detector.memory(rule.settings).ms;
  const tried = [...byComponent].map(([id, changes]) => {
    const state = detector.fresh();
    const instants = [...new Set(changes.flatMap(({ atMs }) => [atMs, atMs + standsMs]))].sort((a, b) => a - b);
    const verdicts = instants.flatMap((atMs): Replayed[] => {
      if (atMs > toMs) return [];
      const sofar = changes.filter((one) => one.atMs <= atMs);
      const verdict = detector.evaluate(rule.settings, state, { atMs, changes: sofar }, { instance: "", unit: "" });
      return verdict ? [{ ...verdict, atMs }] : [];
    });
    return { name: rows.get(id)?.name ?? "", instance: "", verdicts };
  });
  return previewOf(db, detector.describe(rule.settings, ""), tried, { fromMs, toMs, of: "components" });
}
