import { dayAndTime } from "#core/time/windows";
import type { ChangeRow } from "#server/store/changes";
import { KeepLink } from "./KeepLink";
import { Caption, Empty } from "./Page";

/** Changes, newest first, each with who or what made it known. */
export function ChangeList({ changes, nowMs, empty }: { changes: readonly ChangeRow[]; nowMs: number; empty: string }) {
  if (changes.length === 0) return <Empty>{empty}</Empty>;
  return (
    <ol className="hx-list">
      {changes.map((change) => (
        <li key={change.id}>
          <p className="hx-three-lines" title={change.summary}>
            {change.component_id ? (
              <KeepLink to={`/estate/${change.component_id}`} text>
                {change.summary}
              </KeepLink>
            ) : (
              change.summary
            )}
          </p>
          <Caption>
            {dayAndTime(change.at, nowMs)} · {change.by_whom}
            {change.ticket ? ` · ${change.ticket}` : ""}
          </Caption>
        </li>
      ))}
    </ol>
  );
}
