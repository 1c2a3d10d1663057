import { mayTellOfSettings, settingChangeOf, type SettingChange } from "#core/changes/setting-logs";
import { MINUTE_MS } from "#core/time/windows";
import { insertChange } from "../store/changes";
import { prepared, type Db } from "../store/database";
import { componentById } from "../store/estate";
import type { NewLog } from "../store/log-writer";

/** Changes of one component that are told one by one in a minute; a restart may write out hundreds of settings. */
const MOST_A_MINUTE = 20;
const MOST_SETTINGS = 500;
/** Marks in a record's fields without which they are not read. */
const MARKS = ['"setting', '"config.', '"parameter"', '"property"', '"option"'];

/** Makes changes of what configuration logs tell: a setting with its value before and after, and who did it. */
export class SettingLogs {
  private minute = 0;
  private readonly told = new Map<number, number>();

  constructor(private readonly db: Db) {}

  /** Call inside a transaction. */
  take(logs: readonly NewLog[], componentOf: (resourceId: number) => number | null, nowMs: number): void {
    for (const { resourceId, atMs, body, attributes } of logs) {
      const hasFields = attributes !== null && MARKS.some((mark) => attributes.includes(mark));
      if (!hasFields && !mayTellOfSettings(body)) continue;
      const change = settingChangeOf(body, hasFields ? fieldsOf(attributes) : {});
      const componentId = change && componentOf(resourceId);
      if (change && componentId != null) this.tell(componentId, change, Math.min(atMs, nowMs));
    }
  }

  private tell(componentId: number, change: SettingChange, atMs: number): void {
    const component = componentById(this.db, componentId);
    if (!component) return;
    const { setting, after, who } = change;
    const known = prepared<{ value: string; at: number }>(
      this.db,
      "SELECT value, at FROM setting_value WHERE component_id = ? AND name = ?",
    ).get(componentId, setting);
    // What is said twice, or came late, is no change.
    if (known && (known.value === after || known.at > atMs)) return;
    if (!known && this.countOf(componentId) >= MOST_SETTINGS) return;
    prepared(this.db, "INSERT OR REPLACE INTO setting_value (component_id, name, value, at) VALUES (?, ?, ?, ?)").run(
      componentId,
      setting,
      after,
      atMs,
    );
    const before = change.before ?? known?.value;
    const count = this.count(componentId, atMs);
    if (count > MOST_A_MINUTE + 1) return;
    insertChange(this.db, {
      atMs,
      // As what others tell of: somebody did it.
      kind: "change",
      componentId,
      summary:
        count > MOST_A_MINUTE
          ? `${component.name}: further settings were changed in the same minute`
          : `${component.name}: ${setting} ${before === undefined ? `is now “${after}”` : `“${before}” became “${after}”`}`,
      by: who ?? "its log",
      // Runbooks that put a setting back take its name from here, as from the events of others.
      detail: JSON.stringify({ data: { setting, before, after, who } }),
    });
  }

  private countOf(componentId: number): number {
    return (
      prepared<{ count: number }>(this.db, "SELECT count(*) AS count FROM setting_value WHERE component_id = ?").get(
        componentId,
      ) as { count: number }
    ).count;
  }

  private count(componentId: number, atMs: number): number {
    const minute = Math.floor(atMs / MINUTE_MS);
    if (minute !== this.minute) {
      this.minute = minute;
      this.told.clear();
    }
    const count = (this.told.get(componentId) ?? 0) + 1;
    this.told.set(componentId, count);
    return count;
  }
}

function fieldsOf(attributes: string): Record<string, unknown> {
  try {
    const read: unknown = JSON.parse(attributes);
    return typeof read === "object" && read !== null ? (read as Record<string, unknown>) : {};
  } catch {
    return {};
  }
}
