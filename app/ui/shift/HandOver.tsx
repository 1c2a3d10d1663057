import { Form, useNavigation } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { Caption, Empty, Section } from "../Page";
import { RightButton } from "../RightButton";

type Page = Answer<"shift">;

/** Who comes on, the hand-over that waits for its second signature, and the form for the next. */
export function HandOver({ page, hours }: { page: Page; hours: number }) {
  const { window: now, who } = useShell();
  const busy = useNavigation().state !== "idle";
  const at = (ms: number) => dayAndTime(ms, now.nowMs);
  const [latest] = page.handOvers;
  return (
    <Section title="Hand-over">
      <p>
        {page.comesOn.length
          ? page.comesOn
              .map(
                (one) =>
                  `${one.rotation}: ${one.now ?? "nobody"}${one.next ? `, then ${one.next} from ${at(one.nextMs ?? 0)}` : ""}`,
              )
              .join("; ")
          : "There is no rotation, so nobody is known to come on"}
        .
      </p>
      {latest ? (
        <div className="hx-signed">
          <p>
            {latest.leftBy} handed over at {at(latest.leftAt)}:
          </p>
          <blockquote className="hx-remark">{latest.remark}</blockquote>
          {latest.takenBy === null ? (
            <Form method="post" className="hx-row">
              <input type="hidden" name="id" value={latest.id} />
              <RightButton
                right="respond"
                type="submit"
                name="intent"
                value="take"
                variant="contained"
                disabled={busy || latest.leftBy === who.name}
              >
                Take the shift over
              </RightButton>
              <span className="hx-caption">
                {latest.leftBy === who.name ? "Waiting for the next shift to sign." : "You sign as the next shift."}
              </span>
            </Form>
          ) : (
            <Caption>
              Taken over by {latest.takenBy} at {at(latest.takenAt ?? 0)}.
            </Caption>
          )}
        </div>
      ) : (
        <Empty>No shift was handed over yet.</Empty>
      )}
      <Form method="post" className="hx-ask" key={latest?.id ?? 0}>
        <input type="hidden" name="hours" value={hours} />
        <label className="hx-caption hx-grow">
          What the next shift should know
          <textarea className="hx-input" name="remark" rows={3} maxLength={4000} required />
        </label>
        <RightButton right="respond" type="submit" name="intent" value="hand-over" variant="outlined" disabled={busy}>
          Hand over the last {hours} h
        </RightButton>
      </Form>
    </Section>
  );
}
