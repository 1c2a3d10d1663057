import { setMaxListeners } from "node:events";

/**
 * Runs work that must end: after `ms`, or when the signal is aborted, the promise rejects with a sentence whatever the
 * work does. The signal handed to the work is aborted then, so that it can let go of its sockets.
 */
export async function withDeadline<T>(
  ms: number,
  signal: AbortSignal | undefined,
  work: (ended: AbortSignal) => Promise<T>,
): Promise<T> {
  const own = new AbortController();
  setMaxListeners(0, own.signal);
  let fail: (error: Error) => void = () => undefined;
  const end = new Promise<never>((_, reject) => (fail = reject));
  const stop = (message: string) => {
    own.abort();
    fail(new Error(message));
  };
  const timer = setTimeout(() => stop(`It took longer than ${ms / 1000} s.`), ms);
  const aborted = () => stop("It was stopped.");
  signal?.addEventListener("abort", aborted);
  if (signal?.aborted) aborted();
  try {
    const running = work(own.signal);
    running.catch(() => undefined);
    return await Promise.race([running, end]);
  } finally {
    clearTimeout(timer);
    signal?.removeEventListener("abort", aborted);
  }
}
