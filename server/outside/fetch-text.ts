import { refusedPlace } from "./places";

/** A call to the outside that did not end in time, or sent more than it may; the message is a sentence for people. */
export class OutsideFailure extends Error {
  override name = "OutsideFailure";
}

export interface TextAnswer {
  status: number;
  text: string;
}

export interface FetchLimits {
  /** For the whole call, the reading of the body included. */
  timeoutMs: number;
  mostBytes: number;
}

/**
 * Fetches text with an end of its own. The timer is held here until the body is read: a signal made by
 * `AbortSignal.timeout` can be collected as garbage while a body is read, and the call would then wait for ever.
 * Throws an OutsideFailure with a reason for people.
 */
export async function fetchText(
  url: string,
  limits: FetchLimits,
  init: Omit<RequestInit, "signal"> = {},
): Promise<TextAnswer> {
  const abort = new AbortController();
  const late = () => new OutsideFailure(`No answer within ${limits.timeoutMs / 1000} seconds.`);
  // A body that stalls does not always notice the abort, so the race ends it whatever happens.
  let fail: (error: Error) => void = () => undefined;
  const end = new Promise<never>((_, reject) => (fail = reject));
  const timer = setTimeout(() => {
    fail(late());
    abort.abort();
  }, limits.timeoutMs);
  try {
    const reading = read(url, limits.mostBytes, { ...init, signal: abort.signal });
    reading.catch(() => undefined);
    return await Promise.race([reading, end]);
  } catch (error) {
    if (error instanceof OutsideFailure) throw error;
    throw abort.signal.aborted ? late() : new OutsideFailure(reasonOf(error));
  } finally {
    clearTimeout(timer);
  }
}

async function read(url: string, mostBytes: number, init: RequestInit): Promise<TextAnswer> {
  const refused = await refusedPlace(url);
  if (refused) throw new OutsideFailure(refused);
  const response = await fetch(url, init);
  if (!response.body) return { status: response.status, text: "" };
  const parts: Uint8Array[] = [];
  let size = 0;
  for await (const part of response.body) {
    size += (part as Uint8Array).length;
    if (size > mostBytes) throw new OutsideFailure(`It sends more than ${sizeText(mostBytes)}.`);
    parts.push(part as Uint8Array);
  }
  return { status: response.status, text: Buffer.concat(parts).toString("utf8") };
}

const sizeText = (bytes: number) => (bytes >= 2 ** 20 ? `${bytes / 2 ** 20} MiB` : `${Math.round(bytes / 1024)} KiB`);

function reasonOf(error: unknown): string {
  if (!(error instanceof Error)) return String(error);
  return error.message === "fetch failed" ? "Nothing answers there." : error.message;
}
