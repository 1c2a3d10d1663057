import { clockTime, DAY_MS, dayAndTime, dayName } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";

type Rotation = Answer<"onCall">["rotations"][number];

/** The shifts of a rotation as a strip of bars over the days, with the days named above and gaps hatched. */
export function ShiftBars({
  rotation,
  fromMs,
  toMs,
  nowMs,
}: {
  rotation: Rotation;
  fromMs: number;
  toMs: number;
  nowMs: number;
}) {
  const place = (ms: number) => `${((Math.min(toMs, Math.max(fromMs, ms)) - fromMs) / (toMs - fromMs)) * 100}%`;
  const width = (from: number, to: number) =>
    `${((Math.min(toMs, to) - Math.max(fromMs, from)) / (toMs - fromMs)) * 100}%`;
  const days = Array.from({ length: Math.ceil((toMs - fromMs) / DAY_MS) }, (_, index) => fromMs + index * DAY_MS);
  const isGap = (shift: Rotation["shifts"][number]) =>
    rotation.gaps.some((gap) => gap.fromMs < shift.toMs && gap.toMs > shift.fromMs);
  return (
    <div className="hx-shifts">
      <div className="hx-shift-days" aria-hidden>
        {days.map((day) => (
          <span key={day} style={{ left: place(day) }}>
            {dayName(day)}
          </span>
        ))}
      </div>
      <ol aria-label={`Shifts of ${rotation.name}`}>
        {rotation.shifts.map((shift) => (
          <li
            key={shift.fromMs}
            className={
              shift.name === null
                ? isGap(shift)
                  ? "hx-shift hx-gap"
                  : "hx-shift hx-off"
                : `hx-shift hx-turn-${(shift.person ?? 0) % 4}`
            }
            style={{ left: place(shift.fromMs), width: width(shift.fromMs, shift.toMs) }}
            title={`${shift.name ?? "nobody"}, ${dayAndTime(shift.fromMs)} to ${dayAndTime(shift.toMs)} UTC${shift.because ? ` (${shift.because})` : ""}`}
          >
            <span>
              {shift.name ?? (isGap(shift) ? "gap" : "")}
              <i>
                {" "}
                {shift.toMs - shift.fromMs > DAY_MS
                  ? `to ${dayAndTime(shift.toMs)}`
                  : `${clockTime(shift.fromMs)}–${clockTime(shift.toMs)}`}
              </i>
            </span>
          </li>
        ))}
      </ol>
      {nowMs > fromMs && nowMs < toMs ? (
        <div className="hx-shift-now" style={{ left: place(nowMs) }} aria-hidden />
      ) : null}
    </div>
  );
}
