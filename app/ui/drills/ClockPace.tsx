import { Form, useNavigation } from "react-router";
import { useShell } from "../../shell/window";
import { Section } from "../Page";
import { RightButton } from "../RightButton";

export const PACES = [1, 5, 20, 60] as const;

/** How fast the demonstration's clock goes: an hour can be lived in a minute. */
export function ClockPace() {
  const { pace, wantedPace } = useShell();
  const busy = useNavigation().state === "submitting";
  return (
    <Section title="Clock">
      <Form method="post" style={{ display: "flex", gap: 8, alignItems: "center", flexWrap: "wrap" }}>
        <input type="hidden" name="intent" value="pace" />
        <span className="hx-caption">
          {wantedPace === 1
            ? "The demonstration’s clock keeps real time."
            : `The demonstration’s clock goes ${wantedPace} times as fast as real time, for everybody.`}
          {pace < wantedPace
            ? ` At present only ${Math.round(pace * 10) / 10} times: this machine does not keep up with more.`
            : ""}
        </span>
        {PACES.map((one) => (
          <RightButton
            key={one}
            right="configure"
            type="submit"
            name="pace"
            value={String(one)}
            size="small"
            variant="outlined"
            disabled={busy || one === wantedPace}
            aria-label={one === 1 ? "Real time" : `${one} times as fast`}
          >
            {one}×
          </RightButton>
        ))}
      </Form>
    </Section>
  );
}
