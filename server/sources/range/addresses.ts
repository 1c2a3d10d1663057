import { lookup } from "node:dns/promises";
import { canonicalAddress } from "#core/estate/addresses";
import { eachAddress, type AddressSpan } from "#core/estate/ranges";
import type { Found } from "../driver";

const LOOKUP_MS = 5000;
/** A name that stands for more addresses than this is a pool of somebody else's. */
const MOST_OF_NAME = 16;

/**
 * The addresses of ranges and of the names among them, looked up now; a name that cannot be looked up is handed to
 * `failed`.
 */
export async function* addressesOf(
  ranges: { spans: readonly AddressSpan[]; names: readonly string[] },
  failed: (failure: Extract<Found, { what: "failure" }>) => void,
): AsyncGenerator<string> {
  const met = new Set<string>();
  for (const name of ranges.names) {
    try {
      const found = await Promise.race([lookup(name, { all: true }), tooLong()]);
      for (const { address } of found.slice(0, MOST_OF_NAME)) {
        const one = canonicalAddress(address);
        if (one === undefined || met.has(one)) continue;
        met.add(one);
        yield one;
      }
    } catch (error) {
      const reason = `The name ${name} has no address: ${error instanceof Error ? error.message : String(error)}.`;
      failed({ what: "failure", address: name, reason });
    }
  }
  for (const address of eachAddress(ranges.spans)) if (!met.has(address)) yield address;
}

const tooLong = (): Promise<never> =>
  new Promise((_, reject) => {
    setTimeout(() => reject(new Error("no answer in time")), LOOKUP_MS).unref();
  });
