import { flushSync } from "react-dom";

/** Time, in milliseconds, that drawings may take of one frame. */
const SHARE_OF_FRAME_MS = 8;

const waiting = new Set<() => void>();
let isUnderWay = false;

/**
 * Makes drawings after the page that holds them has been painted, as many in a frame as fit in: a page of a dozen
 * charts can be read and clicked while they come. Returns the undoing.
 */
export function drawSoon(draw: () => void): () => void {
  waiting.add(draw);
  if (!isUnderWay) {
    isUnderWay = true;
    nextFrame();
  }
  return () => void waiting.delete(draw);
}

/** A task of its own behind a frame's callbacks comes after that frame is painted. */
const nextFrame = () => requestAnimationFrame(() => setTimeout(drawSome));

function drawSome(): void {
  const until = performance.now() + SHARE_OF_FRAME_MS;
  for (const draw of waiting) {
    waiting.delete(draw);
    flushSync(draw);
    if (performance.now() > until) break;
  }
  isUnderWay = waiting.size > 0;
  if (isUnderWay) nextFrame();
}
