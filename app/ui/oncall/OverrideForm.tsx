import { Form, useNavigation } from "react-router";
import type { Answer } from "#server/pages/registry";
import { RightButton } from "../RightButton";

/** Somebody takes over for a while: also how two people swap, each in the other's shift. */
export function OverrideForm({
  rotation,
  people,
  nowMs,
}: {
  rotation: Answer<"onCall">["rotations"][number];
  people: Answer<"onCall">["people"];
  nowMs: number;
}) {
  const busy = useNavigation().state !== "idle";
  const hour = 3_600_000;
  const next = Math.ceil(nowMs / hour) * hour;
  const local = (ms: number) => new Date(ms).toISOString().slice(0, 16).replace("T", " ");
  return (
    <Form method="post" className="hx-ask" key={rotation.overrides.length}>
      <input type="hidden" name="rotation" value={rotation.id} />
      <label className="hx-caption">
        Takes over
        <select className="hx-select" name="person" required defaultValue="">
          <option value="" disabled>
            choose
          </option>
          {people.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      <label className="hx-caption">
        From (UTC)
        <input
          className="hx-input"
          name="from"
          required
          maxLength={16}
          placeholder="2026-03-17 08:00"
          defaultValue={local(next)}
        />
      </label>
      <label className="hx-caption">
        To (UTC)
        <input
          className="hx-input"
          name="to"
          required
          maxLength={16}
          placeholder="2026-03-17 16:00"
          defaultValue={local(next + 8 * hour)}
        />
      </label>
      <label className="hx-caption hx-grow">
        Remark
        <input className="hx-input" name="remark" maxLength={200} />
      </label>
      <RightButton
        right="respond"
        type="submit"
        name="intent"
        value="add"
        variant="outlined"
        size="small"
        disabled={busy}
      >
        Add override
      </RightButton>
    </Form>
  );
}
