import KeyboardDoubleArrowRight from "@mui/icons-material/LastPageOutlined";
import ExpandLess from "@mui/icons-material/UnfoldLessOutlined";
import ExpandMore from "@mui/icons-material/UnfoldMoreOutlined";
import ChevronLeft from "@mui/icons-material/ChevronLeft";
import ChevronRight from "@mui/icons-material/ChevronRight";
import { memo, useEffect, useRef, useState } from "react";
import { severityRank } from "#core/alarms/severity";
import { clockTime, DAY_MS, dayAndTime, dayName, HOUR_MS, MINUTE_MS, spokenDuration } from "#core/time/windows";
import { PlainButton } from "../ui/PlainButton";
import { severityColour } from "../ui/SeverityMark";
import { useRibbonWindow, type RibbonWindow } from "./ribbon-window";
import { useMoveWindow, useShell, type ShellData } from "./window";

// Drawn with every page: plain elements, their looks in `theme/plain.ts`.

export const RIBBON_SPANS = [
  { value: "PT6H", label: "6 hours", ms: 6 * HOUR_MS },
  { value: "P1D", label: "1 day", ms: DAY_MS },
  { value: "P7D", label: "7 days", ms: 7 * DAY_MS },
  { value: "P30D", label: "30 days", ms: 30 * DAY_MS },
] as const;

const WINDOWS = [
  { label: "15 min", ms: 15 * MINUTE_MS },
  { label: "1 h", ms: HOUR_MS },
  { label: "3 h", ms: 3 * HOUR_MS },
  { label: "12 h", ms: 12 * HOUR_MS },
  { label: "1 d", ms: DAY_MS },
  { label: "7 d", ms: 7 * DAY_MS },
] as const;

const HEIGHT = 44;

/** The strip under the top bar: alarms, incidents and changes of the last day, and the window that rules every page. */
export function Ribbon() {
  const { ribbon, window: now } = useShell();
  const strip = useRef<HTMLDivElement>(null);
  const held = useRibbonWindow(strip);
  const [folded, setFolded] = useState(false);
  useEffect(() => setFolded(localStorage.getItem("ribbon-folded") === "1"), []);
  const fold = () => {
    localStorage.setItem("ribbon-folded", folded ? "0" : "1");
    setFolded(!folded);
  };
  return (
    <section aria-label="Ribbon: the window of time" className={now.live ? "hx-ribbon" : "hx-ribbon hx-past"}>
      <RibbonBar held={held} folded={folded} onFold={fold} />
      {folded ? null : (
        <div
          ref={strip}
          className="hx-strip"
          style={{ height: HEIGHT + 14 }}
          onPointerDown={held.pick}
          onPointerMove={held.during}
          onPointerUp={held.end}
          onPointerCancel={held.drop}
        >
          <Drawing ribbon={ribbon} />
          <Handles held={held} live={now.live} />
        </div>
      )}
      {now.live ? null : (
        <div role="status" className="hx-looking-back">
          <strong>Looking back.</strong> Everything on this page is as it was at {dayAndTime(now.atMs)} UTC,{" "}
          {spokenDuration(now.nowMs - now.atMs)} ago. Press <kbd>.</kbd> to return to now.
        </div>
      )}
    </section>
  );
}

function RibbonBar({ held, folded, onFold }: { held: RibbonWindow; folded: boolean; onFold: () => void }) {
  const { window: now, span } = useShell();
  const move = useMoveWindow();
  const { spanMs } = held;
  const foldWords = folded ? "Expand the ribbon" : "Collapse the ribbon";
  return (
    <div className="hx-ribbon-bar">
      <span className="hx-window-words" data-testid="window-words">
        {held.title} <small>UTC</small>
      </span>
      {WINDOWS.map((one) => {
        const chosen = Math.abs(spanMs - one.ms) < 1000;
        return (
          <PlainButton
            key={one.label}
            pressed={now.live && chosen}
            className={chosen ? "hx-chosen" : ""}
            onClick={() => (now.live ? move.follow(one.ms) : move.fix(now.toMs - one.ms, now.toMs))}
          >
            {one.label}
          </PlainButton>
        );
      })}
      <span className="hx-grow" />
      <span className="hx-ribbon-legend" aria-hidden="true">
        <i className="hx-legend-incident" /> incidents <i className="hx-legend-alarm" /> alarms{" "}
        <i className="hx-legend-change" /> changes
      </span>
      <PlainButton
        label="Previous window"
        title="Previous window ( [ )"
        onClick={() => move.fix(now.fromMs - spanMs, now.fromMs)}
      >
        <ChevronLeft sx={{ fontSize: 18 }} />
      </PlainButton>
      <PlainButton
        label="Next window"
        title="Next window ( ] )"
        disabled={now.live}
        onClick={() => held.settle(now.toMs, now.toMs + spanMs)}
      >
        <ChevronRight sx={{ fontSize: 18 }} />
      </PlainButton>
      <PlainButton
        label="Back to now"
        title="Back to now ( . )"
        disabled={now.live}
        onClick={() => move.follow(spanMs)}
      >
        <KeyboardDoubleArrowRight sx={{ fontSize: 18 }} />
      </PlainButton>
      <select
        className="hx-select"
        aria-label="Ribbon span"
        value={span}
        onChange={(event) => move.span(event.target.value)}
      >
        {RIBBON_SPANS.map((one) => (
          <option key={one.value} value={one.value}>
            {one.label}
          </option>
        ))}
      </select>
      <PlainButton label={foldWords} title={foldWords} expanded={!folded} onClick={onFold}>
        {folded ? <ExpandMore sx={{ fontSize: 18 }} /> : <ExpandLess sx={{ fontSize: 18 }} />}
      </PlainButton>
    </div>
  );
}

/** What happened over the ribbon's span: incidents as bars, alarms as columns, changes as ticks at the bottom. */
const Drawing = memo(function Drawing({ ribbon }: { ribbon: ShellData["ribbon"] }) {
  const reach = ribbon.toMs - ribbon.fromMs;
  const place = (atMs: number) => Math.round(((atMs - ribbon.fromMs) / reach) * 10_000) / 10;
  const tallest = Math.max(3, ...ribbon.alarms.map((one) => one.count));
  const alarms = [...ribbon.alarms].sort((a, b) => severityRank(a.worst) - severityRank(b.worst));
  return (
    <>
      <svg
        width="100%"
        height={HEIGHT}
        viewBox={`0 0 1000 ${HEIGHT}`}
        preserveAspectRatio="none"
        aria-hidden="true"
        style={{ position: "absolute", inset: 0 }}
      >
        <rect x="0" y="0" width="1000" height={HEIGHT} fill="var(--mui-palette-background-default)" />
        {ribbon.incidents.map((incident) => {
          const from = Math.max(0, place(incident.openedAt));
          const to = Math.min(1000, place(incident.resolvedAt ?? ribbon.toMs));
          return (
            <rect
              key={incident.id}
              x={from}
              y={4}
              width={Math.max(2, to - from)}
              height={8}
              fill={severityColour(incident.worst)}
              opacity={incident.resolvedAt === null ? 1 : 0.55}
            >
              <title>{`Incident ${incident.id}, ${incident.worst}, from ${dayAndTime(incident.openedAt)}${incident.resolvedAt === null ? ", open" : ` to ${dayAndTime(incident.resolvedAt)}`}`}</title>
            </rect>
          );
        })}
        {alarms.map((one) => {
          const size = 5 + Math.round((one.count / tallest) * 150) / 10;
          return (
            <rect
              key={one.atMs}
              x={place(one.atMs) - 1.5}
              y={HEIGHT - 8 - size}
              width={3}
              height={size}
              fill={severityColour(one.worst)}
            >
              <title>{`${one.count} ${one.count === 1 ? "alarm" : "alarms"} about ${dayAndTime(one.atMs)}, the worst ${one.worst}`}</title>
            </rect>
          );
        })}
        {ribbon.changes.map((one) => (
          <rect
            key={one.atMs}
            x={place(one.atMs) - 0.75}
            y={HEIGHT - 7}
            width={1.5}
            height={6}
            fill="var(--mui-palette-text-secondary)"
          >
            <title>{`${one.count} ${one.count === 1 ? "change" : "changes"} about ${dayAndTime(one.atMs)}`}</title>
          </rect>
        ))}
      </svg>
      {ticksOf(ribbon.fromMs, ribbon.toMs).map((tick) => (
        <span
          key={tick.atMs}
          aria-hidden="true"
          className="hx-tick"
          style={{ left: `${place(tick.atMs) / 10}%`, top: HEIGHT - 1 }}
        >
          {tick.label}
        </span>
      ))}
    </>
  );
});

/** The window itself: its body and its two ends, each a slider for hands and keys. */
function Handles({ held, live }: { held: RibbonWindow; live: boolean }) {
  const { left, right, shown } = held;
  return (
    <>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Window of time"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(right)}
        aria-valuetext={held.title}
        onPointerDown={held.begin("all")}
        onKeyDown={held.byKey("all")}
        className={live ? "hx-window" : "hx-window hx-past"}
        style={{
          height: HEIGHT,
          left: `${left}%`,
          width: `max(6px, ${right - left}%)`,
          cursor: held.dragged === "all" ? "grabbing" : "grab",
        }}
      />
      {(["from", "to"] as const).map((grip) => (
        <div
          key={grip}
          role="slider"
          tabIndex={0}
          aria-label={grip === "from" ? "Start of the window" : "End of the window"}
          aria-valuemin={0}
          aria-valuemax={100}
          aria-valuenow={Math.round(grip === "from" ? left : right)}
          aria-valuetext={dayAndTime(grip === "from" ? shown.fromMs : shown.toMs)}
          onPointerDown={held.begin(grip)}
          onKeyDown={held.byKey(grip)}
          className="hx-grip"
          style={{ height: HEIGHT, left: `calc(${grip === "from" ? left : right}% - ${grip === "from" ? 6 : 3}px)` }}
        />
      ))}
    </>
  );
}

function ticksOf(fromMs: number, toMs: number): { atMs: number; label: string }[] {
  const reach = toMs - fromMs;
  const step =
    reach <= 6 * HOUR_MS ? HOUR_MS : reach <= DAY_MS ? 3 * HOUR_MS : reach <= 7 * DAY_MS ? DAY_MS : 5 * DAY_MS;
  const ticks: { atMs: number; label: string }[] = [];
  for (let at = Math.ceil(fromMs / step) * step; at < toMs; at += step) {
    const share = (at - fromMs) / reach;
    if (share < 0.02 || share > 0.98) continue;
    ticks.push({ atMs: at, label: step >= DAY_MS || at % DAY_MS === 0 ? dayName(at) : clockTime(at) });
  }
  return ticks;
}
