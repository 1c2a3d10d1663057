import KeyboardDoubleArrowRight from "@mui/icons-material/LastPageOutlined";
import ExpandLess from "@mui/icons-material/UnfoldLessOutlined";
import ExpandMore from "@mui/icons-material/UnfoldMoreOutlined";
import ChevronLeft from "@mui/icons-material/ChevronLeft";
import ChevronRight from "@mui/icons-material/ChevronRight";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { severityRank } from "#core/alarms/severity";
import { clockTime, DAY_MS, dayAndTime, dayName, HOUR_MS, MINUTE_MS, spokenDuration } from "#core/time/windows";
import { severityColour } from "../ui/SeverityMark";
import { useMoveWindow, useShell } from "./window";

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
const SHORTEST_MS = 5 * MINUTE_MS;

type Grip = "from" | "to" | "all";

/** The strip under the top bar: alarms, incidents and changes of the last day, and the window that rules every page. */
export function Ribbon() {
  const shell = useShell();
  const { ribbon, window: now } = shell;
  const move = useMoveWindow();
  const strip = useRef<HTMLDivElement>(null);
  const [folded, setFolded] = useState(false);
  const [drag, setDrag] = useState<{ grip: Grip; startX: number; fromMs: number; toMs: number } | null>(null);
  const reach = ribbon.toMs - ribbon.fromMs;
  const shown = drag ?? now;
  const place = (atMs: number) => ((atMs - ribbon.fromMs) / reach) * 100;
  const left = Math.max(0, Math.min(100, place(shown.fromMs)));
  const right = Math.max(0, Math.min(100, place(shown.toMs)));
  const spanMs = now.toMs - now.fromMs;

  useEffect(() => setFolded(localStorage.getItem("ribbon-folded") === "1"), []);
  const fold = () => {
    localStorage.setItem("ribbon-folded", folded ? "0" : "1");
    setFolded(!folded);
  };

  const settle = (fromMs: number, toMs: number) => {
    // A window let go at the present follows it.
    if (toMs >= ribbon.toMs - Math.max(30_000, reach / 400)) move.follow(Math.max(SHORTEST_MS, toMs - fromMs));
    else move.fix(fromMs, toMs);
  };

  const begin = (grip: Grip) => (event: PointerEvent) => {
    event.preventDefault();
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    setDrag({ grip, startX: event.clientX, fromMs: now.fromMs, toMs: now.toMs });
  };
  const during = (event: PointerEvent) => {
    if (!drag || !strip.current) return;
    const width = strip.current.getBoundingClientRect().width;
    const by = ((event.clientX - drag.startX) / width) * reach;
    let fromMs = now.fromMs;
    let toMs = now.toMs;
    if (drag.grip !== "to") fromMs += by;
    if (drag.grip !== "from") toMs += by;
    if (drag.grip === "from") fromMs = Math.max(ribbon.fromMs, Math.min(fromMs, toMs - SHORTEST_MS));
    if (drag.grip === "to") toMs = Math.min(ribbon.toMs, Math.max(toMs, fromMs + SHORTEST_MS));
    if (drag.grip === "all" && toMs > ribbon.toMs) {
      fromMs -= toMs - ribbon.toMs;
      toMs = ribbon.toMs;
    }
    setDrag({ ...drag, fromMs, toMs });
  };
  const end = () => {
    if (!drag) return;
    if (Math.abs(drag.fromMs - now.fromMs) > 1000 || Math.abs(drag.toMs - now.toMs) > 1000)
      settle(drag.fromMs, drag.toMs);
    setDrag(null);
  };
  const pick = (event: PointerEvent) => {
    const box = strip.current?.getBoundingClientRect();
    if (!box || drag) return;
    const at = ribbon.fromMs + ((event.clientX - box.left) / box.width) * reach;
    const toMs = Math.min(ribbon.toMs, at + spanMs / 2);
    settle(toMs - spanMs, toMs);
  };
  const byKey = (grip: Grip) => (event: KeyboardEvent) => {
    const step = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
    if (!step) return;
    event.preventDefault();
    const by = step * Math.max(MINUTE_MS, reach / 200);
    const fromMs = grip === "to" ? now.fromMs : Math.min(now.fromMs + by, now.toMs - SHORTEST_MS);
    const toMs = grip === "from" ? now.toMs : Math.max(now.toMs + by, now.fromMs + SHORTEST_MS);
    settle(fromMs, Math.min(ribbon.toMs, toMs));
  };

  const tallest = Math.max(3, ...ribbon.alarms.map((one) => one.count));
  const ticks = ticksOf(ribbon.fromMs, ribbon.toMs);
  const title = now.live
    ? `last ${spokenDuration(spanMs)}`
    : `${dayAndTime(now.fromMs, now.nowMs)} to ${dayAndTime(now.toMs, Math.floor(now.fromMs / DAY_MS) === Math.floor(now.toMs / DAY_MS) ? now.toMs : now.nowMs)}`;

  return (
    <Box
      component="section"
      aria-label="Ribbon: the window of time"
      sx={{ borderBottom: 1, borderColor: now.live ? "divider" : "secondary.main", bgcolor: "background.paper" }}
    >
      <Stack direction="row" sx={{ alignItems: "center", gap: 0.5, px: 1.5, height: 30 }}>
        <Typography variant="caption" sx={{ fontWeight: 600, minWidth: 160 }} data-testid="window-words" noWrap>
          {title} <span style={{ fontWeight: 400, color: "var(--mui-palette-text-secondary)" }}>UTC</span>
        </Typography>
        {WINDOWS.map((one) => (
          <Button
            key={one.label}
            variant="text"
            color="inherit"
            aria-pressed={now.live && Math.abs(spanMs - one.ms) < 1000}
            onClick={() => (now.live ? move.follow(one.ms) : move.fix(now.toMs - one.ms, now.toMs))}
            sx={{
              minWidth: 0,
              px: 0.75,
              py: 0,
              fontSize: "0.76rem",
              fontWeight: Math.abs(spanMs - one.ms) < 1000 ? 700 : 400,
              textDecoration: Math.abs(spanMs - one.ms) < 1000 ? "underline" : "none",
              textUnderlineOffset: 3,
            }}
          >
            {one.label}
          </Button>
        ))}
        <Box sx={{ flex: 1 }} />
        <Tooltip title="Previous window ( [ )">
          <IconButton aria-label="Previous window" onClick={() => move.fix(now.fromMs - spanMs, now.fromMs)}>
            <ChevronLeft sx={{ fontSize: 18 }} />
          </IconButton>
        </Tooltip>
        <Tooltip title="Next window ( ] )">
          <span>
            <IconButton
              aria-label="Next window"
              disabled={now.live}
              onClick={() => settle(now.toMs, now.toMs + spanMs)}
            >
              <ChevronRight sx={{ fontSize: 18 }} />
            </IconButton>
          </span>
        </Tooltip>
        <Tooltip title="Back to now ( . )">
          <span>
            <IconButton aria-label="Back to now" disabled={now.live} onClick={() => move.follow(spanMs)}>
              <KeyboardDoubleArrowRight sx={{ fontSize: 18 }} />
            </IconButton>
          </span>
        </Tooltip>
        <Select
          variant="standard"
          disableUnderline
          value={shell.span}
          onChange={(event) => move.span(event.target.value)}
          inputProps={{ "aria-label": "Ribbon span" }}
          sx={{ fontSize: "0.76rem", ml: 1 }}
        >
          {RIBBON_SPANS.map((one) => (
            <MenuItem key={one.value} value={one.value} dense>
              {one.label}
            </MenuItem>
          ))}
        </Select>
        <Tooltip title={folded ? "Expand the ribbon" : "Collapse the ribbon"}>
          <IconButton
            aria-label={folded ? "Expand the ribbon" : "Collapse the ribbon"}
            aria-expanded={!folded}
            onClick={fold}
          >
            {folded ? <ExpandMore sx={{ fontSize: 16 }} /> : <ExpandLess sx={{ fontSize: 16 }} />}
          </IconButton>
        </Tooltip>
      </Stack>
      {folded ? null : (
        <Box
          ref={strip}
          onPointerDown={pick}
          onPointerMove={during}
          onPointerUp={end}
          onPointerCancel={() => setDrag(null)}
          sx={{ position: "relative", height: HEIGHT + 14, mx: 1.5, touchAction: "none", cursor: "crosshair" }}
        >
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
              const from = Math.max(0, place(incident.openedAt)) * 10;
              const to = Math.min(100, place(incident.resolvedAt ?? ribbon.toMs)) * 10;
              return (
                <rect
                  key={incident.id}
                  x={from}
                  y={4}
                  width={Math.max(2, to - from)}
                  height={8}
                  fill={severityColour(incident.worst)}
                  opacity={incident.resolvedAt === null ? 1 : 0.55}
                />
              );
            })}
            {[...ribbon.alarms]
              .sort((a, b) => severityRank(a.worst) - severityRank(b.worst))
              .map((one) => {
                const size = 5 + (one.count / tallest) * 15;
                return (
                  <rect
                    key={one.atMs}
                    x={place(one.atMs) * 10 - 1.5}
                    y={HEIGHT - 8 - size}
                    width={3}
                    height={size}
                    fill={severityColour(one.worst)}
                  />
                );
              })}
            {ribbon.changes.map((one) => (
              <rect
                key={one.atMs}
                x={place(one.atMs) * 10 - 0.75}
                y={HEIGHT - 7}
                width={1.5}
                height={6}
                fill="var(--mui-palette-text-secondary)"
              />
            ))}
          </svg>
          {ticks.map((tick) => (
            <Typography
              key={tick.atMs}
              variant="caption"
              aria-hidden="true"
              sx={{
                position: "absolute",
                left: `${place(tick.atMs)}%`,
                top: HEIGHT - 1,
                fontSize: 10,
                color: "text.secondary",
                transform: "translateX(-50%)",
                whiteSpace: "nowrap",
                userSelect: "none",
              }}
            >
              {tick.label}
            </Typography>
          ))}
          <Box
            onPointerDown={begin("all")}
            role="slider"
            tabIndex={0}
            aria-label="Window of time"
            aria-valuemin={0}
            aria-valuemax={100}
            aria-valuenow={Math.round(right)}
            aria-valuetext={title}
            onKeyDown={byKey("all")}
            sx={{
              position: "absolute",
              top: 0,
              height: HEIGHT,
              left: `${left}%`,
              width: `max(6px, ${right - left}%)`,
              border: "1.5px solid",
              borderColor: now.live ? "primary.main" : "secondary.main",
              bgcolor: now.live ? "rgba(14,90,94,0.10)" : "rgba(107,58,143,0.12)",
              cursor: drag?.grip === "all" ? "grabbing" : "grab",
            }}
          />
          {(["from", "to"] as const).map((grip) => (
            <Box
              key={grip}
              role="slider"
              tabIndex={0}
              aria-label={grip === "from" ? "Start of the window" : "End of the window"}
              aria-valuemin={0}
              aria-valuemax={100}
              aria-valuenow={Math.round(grip === "from" ? left : right)}
              aria-valuetext={dayAndTime(grip === "from" ? shown.fromMs : shown.toMs)}
              onPointerDown={begin(grip)}
              onKeyDown={byKey(grip)}
              sx={{
                position: "absolute",
                top: 0,
                height: HEIGHT,
                width: 9,
                left: `calc(${grip === "from" ? left : right}% - ${grip === "from" ? 6 : 3}px)`,
                cursor: "ew-resize",
              }}
            />
          ))}
        </Box>
      )}
      {now.live ? null : (
        <Box
          role="status"
          sx={{ px: 1.5, py: 0.5, bgcolor: "var(--hx-past-ground)", color: "text.primary", fontSize: "0.84rem" }}
        >
          <strong>Looking back.</strong> Everything on this page is as it was at {dayAndTime(now.atMs)} UTC,{" "}
          {spokenDuration(now.nowMs - now.atMs)} ago. Press <kbd>.</kbd> to return to now.
        </Box>
      )}
    </Box>
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
