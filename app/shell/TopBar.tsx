import DarkModeOutlined from "@mui/icons-material/DarkModeOutlined";
import KeyboardOutlined from "@mui/icons-material/KeyboardOutlined";
import LightModeOutlined from "@mui/icons-material/LightModeOutlined";
import PanToolOutlined from "@mui/icons-material/PanToolOutlined";
import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import SearchOutlined from "@mui/icons-material/SearchOutlined";
import { useColorScheme } from "@mui/material/styles";
import { useEffect, useState } from "react";
import { useFetcher, useLocation } from "react-router";
import { whyNotMe } from "#core/people/rights";
import { clockTime } from "#core/time/windows";
import { Mark } from "../ui/Mark";
import { useMounted } from "../ui/mounted";
import { PlainButton } from "../ui/PlainButton";
import { useLive } from "./live";
import { PLACES } from "./places";
import { useTray } from "./tray";
import { useKeep, useShell } from "./window";

export function TopBar({ onFind, onKeys }: { onFind: () => void; onKeys: () => void }) {
  const shell = useShell();
  const keep = useKeep();
  const { connected } = useLive();
  const { pathname } = useLocation();
  const tray = useTray();
  const pinned = shell.tray.pins.length;
  return (
    <header className="hx-top">
      <span className="hx-mark">
        <Mark />
        <strong>Holotaxis</strong>
      </span>
      <nav aria-label="Places">
        {PLACES.map((place) => {
          const here = place.to === "/" ? pathname === "/" : pathname.startsWith(place.to);
          return (
            <a
              key={place.to}
              href={keep(place.to)}
              className={here ? "hx-link hx-place hx-here" : "hx-link hx-place"}
              aria-current={here ? "page" : undefined}
            >
              {place.label}
              {place.to === "/incidents" && shell.ribbon.openCount > 0 ? (
                <span className="hx-count hx-critical" aria-label={`${shell.ribbon.openCount} open`}>
                  {shell.ribbon.openCount}
                </span>
              ) : null}
              {place.to === "/runbooks" && shell.asking > 0 ? (
                <span className="hx-count" aria-label={`${shell.asking} wait for an answer`}>
                  {shell.asking}
                </span>
              ) : null}
            </a>
          );
        })}
      </nav>
      <span className="hx-grow" />
      <PlainButton className="hx-find" onClick={onFind}>
        <SearchOutlined sx={{ fontSize: 18 }} />
        Find <kbd>Ctrl K</kbd>
      </PlainButton>
      <Halt />
      <OnCallNow />
      <Clock connected={connected} />
      <PlainButton
        label={`Evidence tray, ${pinned} pinned`}
        title="Evidence tray ( e )"
        onClick={() => tray.setOpen(true)}
      >
        <PushPinOutlined fontSize="small" />
        {pinned > 0 ? <span className="hx-count">{pinned}</span> : null}
      </PlainButton>
      <PlainButton label="Keys" title="Keys ( ? )" onClick={onKeys}>
        <KeyboardOutlined fontSize="small" />
      </PlainButton>
      <ThemeSwitch />
      <Who />
    </header>
  );
}

/** Stops everything automatic with one press; while it is stopped, a link to where it goes on. */
function Halt() {
  const { halt, who } = useShell();
  const keep = useKeep();
  const { submit } = useFetcher();
  if (halt)
    return (
      <a className="hx-link hx-halted" href={keep("/runbooks/policies")} title={`Stopped by ${halt.by}`}>
        Automation stopped
      </a>
    );
  if (whyNotMe(who.rights, "respond") !== undefined) return null;
  return (
    <PlainButton
      label="Stop all automatic acts"
      title="Stop all automatic acts"
      onClick={() => void submit({ intent: "halt" }, { method: "post", action: "/halt" })}
    >
      <PanToolOutlined sx={{ fontSize: 18 }} />
    </PlainButton>
  );
}

/** Who is on call now: a link to the rotations. */
function OnCallNow() {
  const { onCall } = useShell();
  const keep = useKeep();
  const [first] = onCall;
  if (!first) return null;
  const all = onCall.map((one) => `${one.rotation}: ${one.name ?? "nobody"}`).join("; ");
  return (
    <a className="hx-link hx-on-call" href={keep("/on-call")} title={`On call. ${all}`}>
      <span className="hx-caption">On call</span> {first.name ?? "nobody"}
    </a>
  );
}

/** The shared clock, in UTC; it says when the page no longer hears from the server. */
function Clock({ connected }: { connected: boolean }) {
  const { window: now, pace, clockSet } = useShell();
  const mounted = useMounted();
  const [shown, setShown] = useState(now.nowMs);
  useEffect(() => {
    const began = performance.now();
    setShown(now.nowMs);
    const timer = setInterval(() => setShown(now.nowMs + (performance.now() - began) * pace), 1000);
    return () => clearInterval(timer);
  }, [now.nowMs, pace]);
  const here = connected || !mounted;
  return (
    <span
      className={here ? "hx-clock" : "hx-clock hx-lost"}
      title={`${clockSet ? "The clock was set at the start. " : ""}${connected ? "Live: this page follows the server." : "Connection lost; reconnecting."}`}
    >
      {here ? `${clockTime(shown, mounted)} UTC` : "offline"}
    </span>
  );
}

function ThemeSwitch() {
  const { mode, systemMode, setMode } = useColorScheme();
  const mounted = useMounted();
  const night = mounted && (mode === "system" ? systemMode : mode) === "dark";
  const words = night ? "Day theme" : "Night theme";
  return (
    <PlainButton label={words} title={words} onClick={() => setMode(night ? "light" : "dark")}>
      {night ? <LightModeOutlined fontSize="small" /> : <DarkModeOutlined fontSize="small" />}
    </PlainButton>
  );
}

/** Who is signed in: a link to their account, where they sign out too. */
function Who() {
  const { who } = useShell();
  const keep = useKeep();
  return (
    <a className="hx-link hx-who" href={keep("/account")} title={`${who.name}: my account`}>
      {who.name}
    </a>
  );
}
