/** Longest wait, in milliseconds, of what is left for a quiet moment. */
const LONGEST_MS = 300;

/** Does something in the browser's next quiet moment, so that it does not hold up what is painted; returns its undoing. */
export function whenIdle(task: () => void): () => void {
  if (typeof requestIdleCallback !== "function") {
    const timer = setTimeout(task, LONGEST_MS / 3);
    return () => clearTimeout(timer);
  }
  const handle = requestIdleCallback(task, { timeout: LONGEST_MS });
  return () => cancelIdleCallback(handle);
}
