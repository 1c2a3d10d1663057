import { useEffect, useRef, useState } from "react";
import { useNavigation } from "react-router";
import { dayAndTime } from "#core/time/windows";
import { useChangeParams } from "../../shell/params";
import { iso, useShell } from "../../shell/window";
import { PlainButton } from "../PlainButton";

/** A span is shown in so many pictures, each for so long at the least. */
const PICTURES = 24;
const PICTURE_MS = 900;

interface Playing {
  fromMs: number;
  toMs: number;
  at: number;
}

/**
 * Plays the window as a film: the map as it was at instants from its start to its end, one after the other, each once it is
 * drawn. It ends where the window ended, or where somebody stops it.
 */
export function Film() {
  const { window: now } = useShell();
  const change = useChangeParams();
  const idle = useNavigation().state === "idle";
  const [playing, setPlaying] = useState<Playing>();
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const spanMs = now.toMs - now.fromMs;

  useEffect(() => {
    if (!playing || !idle) return;
    const { fromMs, toMs, at } = playing;
    timer.current = setTimeout(() => {
      const next = at + 1;
      const endMs = fromMs + ((toMs - fromMs) * next) / PICTURES;
      // Pictures are no pages to go back to.
      change((params) => {
        params.delete("last");
        params.set("from", iso(Math.round((endMs - (toMs - fromMs)) / 1000) * 1000));
        params.set("to", iso(Math.round(endMs / 1000) * 1000));
      }, true);
      setPlaying(next >= PICTURES ? undefined : { fromMs, toMs, at: next });
    }, PICTURE_MS);
    return () => clearTimeout(timer.current);
  }, [playing, idle, change]);

  return (
    <span role="group" aria-label="Film" style={{ display: "inline-flex", alignItems: "center", gap: 6 }}>
      {playing ? (
        <>
          <PlainButton onClick={() => setPlaying(undefined)}>Stop</PlainButton>
          <span className="hx-caption" role="status">
            {dayAndTime(now.toMs, undefined, true)}, {playing.at} of {PICTURES}
          </span>
        </>
      ) : (
        <PlainButton
          onClick={() => setPlaying({ fromMs: now.toMs - spanMs, toMs: now.toMs, at: 0 })}
          title="Shows the map from the start of the window to its end"
        >
          Play the window
        </PlainButton>
      )}
    </span>
  );
}
