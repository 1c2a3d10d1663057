import type { ChangeInput } from "#core/detection/detector";
import { MINUTE_MS } from "#core/time/windows";
import { withTickets } from "../changes/with-tickets";
import { changesIn } from "../store/changes";
import type { Db } from "../store/database";
import type { AlarmBook } from "./alarm-book";
import { SlowJudge, type Asked, type SlowContext, type SlowRule } from "./slow-judge";

const EVERY_MS = MINUTE_MS;
/** More changes than this are not looked through at once. */
const MOST_READ = 5000;

/** Judges changes of components by their tickets. */
export class ChangeJudge extends SlowJudge<"changes"> {
  private byComponent = new Map<number, ChangeInput["changes"][number][]>();

  constructor(db: Db, book: AlarmBook, context: SlowContext) {
    super(db, book, context, "changes", EVERY_MS);
    this.loadRules();
  }

  protected override begin(atMs: number): void {
    const longest = Math.max(
      ...this.rules.map(({ rule, detector }) => (rule.enabled ? detector.memory(rule.settings).ms : 0)),
    );
    this.byComponent = new Map();
    for (const line of withTickets(this.db, changesIn(this.db, atMs - longest, atMs, MOST_READ), atMs)) {
      if (line.component_id === null) continue;
      const list = this.byComponent.get(line.component_id) ?? [];
      this.byComponent.set(line.component_id, list);
      list.push({ atMs: line.at, kind: line.kind, summary: line.summary, by: line.by_whom, standing: line.standing });
    }
  }

  protected *asked({ rule, states }: SlowRule<"changes">, atMs: number): Iterable<Asked<"changes">> {
    // What stands is looked at until it is over, though nothing changed lately.
    const standing = [...states.values()].flatMap(({ kind, stands }) => (stands ? [kind.subject.id] : []));
    for (const id of new Set([...this.byComponent.keys(), ...standing]))
      if (this.covers(rule, id))
        yield {
          subject: { type: "component", id },
          seriesId: null,
          qualifier: rule.name,
          instance: "",
          unit: "",
          input: { atMs, changes: this.byComponent.get(id) ?? [] },
        };
  }
}
