import { dayAndTime } from "#core/time/windows";
import { momentLabel } from "#core/telling/rule";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption } from "../Page";
import { PlainTable } from "../PlainTable";

export type MessageShown = Answer<"messages">["messages"][number];

/** What became of a message, in words. */
export const STATE_WORDS: Readonly<Record<MessageShown["state"], string>> = {
  due: "waiting",
  held: "held for a digest",
  sending: "being sent",
  sent: "sent",
  refused: "refused",
  "given up": "given up",
  dropped: "in a digest",
};

export const occasionOf = (moment: string): string =>
  ({ digest: "Digest", shift: "Shift handed over", test: "Test" })[moment] ?? momentLabel(moment);

/** Messages with whom they went to, and what the other side said. */
export function MessageTable({ messages, ofOne = false }: { messages: readonly MessageShown[]; ofOne?: boolean }) {
  const { window: now } = useShell();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">When</th>
          <th scope="col">To</th>
          <th scope="col">Occasion</th>
          {ofOne ? null : <th scope="col">Incident</th>}
          <th scope="col">State</th>
          <th scope="col">Answer</th>
        </tr>
      </thead>
      <tbody>
        {messages.map((one) => (
          <tr key={one.id}>
            <td className="line">
              <KeepLink to={`/incidents/notifications/${one.id}`}>{dayAndTime(one.madeAt, now.nowMs, true)}</KeepLink>
            </td>
            <td>
              {one.name}
              {one.channel === one.name ? null : <Caption>{one.channel}</Caption>}
            </td>
            <td>
              {occasionOf(one.moment)}
              {one.takenBy === null ? null : <Caption>with {one.takenBy}</Caption>}
              <Caption>{one.why}</Caption>
            </td>
            {ofOne ? null : (
              <td className="hx-wrap">
                {one.incidentId === null ? (
                  one.subject || "–"
                ) : (
                  <KeepLink to={`/incidents/${one.incidentId}`}>{`${one.incidentId} · ${one.title ?? ""}`}</KeepLink>
                )}
              </td>
            )}
            <td className={one.state === "refused" || one.state === "given up" ? "hx-bad" : undefined}>
              {STATE_WORDS[one.state]}
              {one.tries > 1 ? <Caption>{one.tries} tries</Caption> : null}
            </td>
            <td className="hx-wrap">{one.answer || "–"}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
