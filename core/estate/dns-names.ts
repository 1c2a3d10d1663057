import { identityKey, type Observation } from "./observation";

const MOST_SHOWN = 20;

/**
 * Names that DNS has for an address. A name is no proof of who is there: several addresses share one, one has several,
 * and records outlive hosts; so it only says what a known host is called.
 * @param shared names that several addresses have, so that none is called so
 */
export function observeNames(
  address: string,
  names: readonly string[],
  shared: ReadonlySet<string> = new Set(),
): Observation {
  const sorted = [...names].sort((a, b) => a.length - b.length || (a < b ? -1 : 1));
  const shown = sorted.slice(0, MOST_SHOWN).join(", ");
  return {
    keys: [identityKey("addr", address)],
    kind: { is: "host.unknown", reason: "DNS names it", confidence: 0 },
    name: sorted.find((one) => !shared.has(one))?.split(".")[0] ?? address,
    address,
    depth: 0,
    readBy: "dns",
    facts: {},
    ownFacts: { "DNS names": sorted.length > MOST_SHOWN ? `${shown} and ${sorted.length - MOST_SHOWN} more` : shown },
    hearsay: "known",
  };
}
