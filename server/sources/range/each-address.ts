import { setMaxListeners } from "node:events";
import { eachLimited } from "../../outside/limit";
import { Stream } from "../../outside/stream";
import type { Checked, Found } from "../driver";
import { addressesOf } from "./addresses";
import { spansOf } from "./driver";

/** What a look at one address of many does with what it finds. */
export interface AddressLook {
  push: (found: Found) => void;
  /** So many answered, and so many things were recognised. */
  count: (answering: number, recognised: number) => void;
  /** It answered, but could not be read. */
  fail: (reason: string) => void;
}

type Ranges = Parameters<typeof spansOf>[0];

/** Looks at every address of some ranges, several at once; one that hangs holds up nobody. */
export async function* lookAtEach(
  ranges: Ranges,
  atOnce: number,
  signal: AbortSignal,
  look: (address: string, into: AddressLook) => Promise<void>,
): AsyncGenerator<Found> {
  const stream = new Stream<Found>();
  const counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
  // Every address under way listens to it.
  setMaxListeners(0, signal);
  const fail = (address: string, reason: string) => {
    counts.failed++;
    stream.push({ what: "failure", address, reason });
  };
  const one = async (address: string) => {
    await look(address, {
      push: (found) => stream.push(found),
      count: (answering, recognised) => {
        counts.answering += answering;
        counts.recognised += recognised;
      },
      fail: (reason) => fail(address, reason),
    });
    counts.tried++;
    stream.push({ what: "progress", ...counts });
  };
  const addresses = addressesOf(spansOf(ranges), ({ address, reason }) => fail(address, reason));
  eachLimited(addresses, atOnce, one, signal).then(
    () => stream.end(),
    (error: unknown) => stream.fail(error),
  );
  yield* stream;
}

const CHECKED_ADDRESSES = 8;

/** Tries the first addresses of some ranges one by one; it goes well where one of them does. */
export async function checkEach(ranges: Ranges, say: (address: string) => Promise<string>): Promise<Checked> {
  const lines: string[] = [];
  let ok = false;
  let count = 0;
  for await (const address of addressesOf(spansOf(ranges), ({ reason }) => lines.push(reason))) {
    if (++count > CHECKED_ADDRESSES) break;
    try {
      lines.push(`${address}: ${await say(address)}`);
      ok = true;
    } catch (error) {
      lines.push(`${address}: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  return { ok, lines };
}
