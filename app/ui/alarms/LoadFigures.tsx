import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { alarmsPage } from "#server/pages/alarms";

type Page = ReturnType<typeof alarmsPage>;

const percent = (share: number) => `${Math.round(share * 100)} %`;

/** Figures of alarm load beside what one person can take in (ANSI/ISA-18.2, EEMUA 191). */
export function LoadFigures({
  load,
  acceptable,
  shares,
  nowMs,
}: Pick<Page, "load" | "acceptable" | "shares"> & { nowMs: number }) {
  const rows: [label: string, value: string, beside: string, isOver: boolean][] = [
    [
      "Alarms a day, at this rate",
      load.perDay.toFixed(load.perDay < 10 ? 1 : 0),
      `${acceptable.perDay} are acceptable, ${acceptable.mostPerDay} the most that can be managed`,
      load.perDay > acceptable.perDay,
    ],
    ["Alarms an hour", load.perHour.toFixed(1), "", false],
    [
      "Most within 10 min",
      load.peak.atMs === null ? "0" : `${load.peak.count}, from ${dayAndTime(load.peak.atMs, nowMs)}`,
      `more than ${acceptable.floodIn10Min} are a flood`,
      load.peak.count > acceptable.floodIn10Min,
    ],
    [
      "Floods",
      load.floods.length === 0
        ? "none"
        : `${load.floods.length}, the longest ${spokenDuration(Math.max(60_000, ...load.floods.map((one) => one.toMs - one.fromMs)))}`,
      `${percent(load.floodedShare)} of the time`,
      load.floods.length > 0,
    ],
    [
      "Critical / minor and major / warnings",
      `${percent(load.shares.high)} / ${percent(load.shares.middle)} / ${percent(load.shares.low)}`,
      `about ${percent(shares.high)} / ${percent(shares.middle)} / ${percent(shares.low)} is good practice`,
      load.count >= 20 && load.shares.high > 4 * shares.high,
    ],
    ["Standing for over a day", String(load.stale), "stale: of no use to whoever is on shift", load.stale > 0],
    ["Over within a minute", String(load.fleeting), "fleeting: too quick to act on", load.fleeting > 0],
    [
      "Chattering",
      load.chattering.length === 0 ? "none" : load.chattering.map((one) => `${one.name} (${one.count})`).join("; "),
      "raised three times or more within an hour",
      load.chattering.length > 0,
    ],
  ];
  return (
    <dl style={{ display: "grid", gridTemplateColumns: "260px 1fr 1fr", gap: "4px 16px", margin: 0 }}>
      {rows.map(([label, value, beside, isOver]) => (
        <div key={label} style={{ display: "contents" }}>
          <dt>{label}</dt>
          <dd style={{ margin: 0, fontWeight: isOver ? 650 : 400 }}>
            {value}
            {isOver ? <span className="hx-caption"> over the mark</span> : null}
          </dd>
          <dd className="hx-caption" style={{ margin: 0 }}>
            {beside}
          </dd>
        </div>
      ))}
    </dl>
  );
}
