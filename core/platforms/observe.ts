import { isHostLike, kindInfo } from "../catalogue/kinds";
import { OF_PLATFORM, PLATFORM } from "../estate/labels";
import { identityKey, type Observation } from "../estate/observation";
import type { PlatformThing } from "./thing";

/** The account that things were found in. */
export interface PlatformAccount {
  /** Name of its platform, and its id and name there. */
  platform: string;
  id: string;
  name: string;
}

export interface PlatformRegion {
  key: string;
  name: string;
  state: string;
}

/** What a platform says is sure of what it is, though nobody looked inside. */
const CONFIDENCE = 0.9;
/** An instance runs some system; whoever looks at it knows better. */
const INSTANCE_CONFIDENCE = 0.5;
const DEPTH = 1;

/** What keys of all things of a list begin with; region is empty where a list is of all of them. */
export const nativePrefix = ({ platform, id }: PlatformAccount, region: string, list: string): string =>
  `native:${[platform.toLowerCase(), id, region, list].map(encodeURIComponent).join("/")}/`;

/** What a thing is known by: its own id within its account. Regions and the account have such keys too. */
export const nativeKey = (account: PlatformAccount, region: string, list: string, key: string): string =>
  identityKey("native", `${nativePrefix(account, region, list).slice("native:".length)}${key}`).value;

export const ACCOUNT_LIST = "account";
export const REGION_LIST = "region";

const fixed = (
  account: PlatformAccount,
  [region, list, key]: readonly [string, string, string],
  name: string,
): Pick<Observation, "keys" | "name" | "nameElse" | "depth" | "readBy"> => ({
  keys: [{ value: nativeKey(account, region, list, key), strength: 3 }],
  name,
  nameElse: `${name} (${account.name})`,
  depth: DEPTH,
  readBy: PLATFORM,
});

export const observeAccount = (account: PlatformAccount): Observation => ({
  ...fixed(account, ["", ACCOUNT_LIST, account.id], account.name),
  kind: { is: "platform.account", reason: `the interface of ${account.platform} says so`, confidence: CONFIDENCE },
  facts: { platform: account.platform, "account id": account.id },
});

export const observeRegion = (account: PlatformAccount, region: PlatformRegion): Observation => ({
  ...fixed(account, ["", REGION_LIST, region.key], region.name),
  kind: { is: "platform.region", reason: `the interface of ${account.platform} lists it`, confidence: CONFIDENCE },
  facts: { platform: account.platform, region: region.key, ...(region.state ? { state: region.state } : {}) },
  relations: [{ type: "part-of", to: nativeKey(account, "", ACCOUNT_LIST, account.id), detail: "" }],
});

/**
 * A thing of a platform as an observation. A host is known by its machine's number, addresses and name too, so that it is
 * the same component for whoever looks at it from elsewhere; what it is called and runs is theirs to say.
 */
export function observeThing(
  account: PlatformAccount,
  thing: PlatformThing,
  /** Whether a list is asked for each region, so that its keys mean something within one. */
  isRegional: (list: string) => boolean,
): Observation {
  const regionOf = (list: string) => (isRegional(list) ? thing.region : "");
  const isHost = isHostLike(thing.kind);
  const base = fixed(account, [regionOf(thing.list), thing.list, thing.key], thing.name);
  const [address] = thing.addresses;
  const where = thing.region
    ? nativeKey(account, "", REGION_LIST, thing.region)
    : nativeKey(account, "", ACCOUNT_LIST, account.id);
  const explicit = thing.relations.map(({ type, list, to, back }) => ({
    type,
    to: nativeKey(account, regionOf(list), list, to),
    detail: "",
    ...(back ? { back } : {}),
  }));
  const placed = explicit.some((one) => one.type === "hosted-by" || (!isHost && one.type === "part-of" && !one.back));
  const told: Record<string, string> = {
    ...thing.facts,
    ...(thing.state ? { state: thing.state } : {}),
    ...(thing.region ? { region: thing.region } : {}),
    id: thing.key,
    ...(thing.sinceMs === undefined ? {} : { created: new Date(thing.sinceMs).toISOString().slice(0, 16) + "Z" }),
  };
  return {
    ...base,
    keys: [
      ...base.keys,
      ...(isHost
        ? [
            ...(thing.machine ? [identityKey("machine", thing.machine)] : []),
            ...thing.hardwareAddresses.map((one) => identityKey("mac", one)),
            ...(thing.hostName ? [identityKey("name", thing.hostName)] : []),
            ...thing.addresses.map((one) => identityKey("addr", one)),
          ]
        : []),
    ],
    kind: {
      is: thing.kind,
      reason: `${account.platform} lists it as ${kindInfo(thing.kind).label.toLowerCase()}`,
      confidence: isHost ? INSTANCE_CONFIDENCE : CONFIDENCE,
    },
    ...(isHost && address !== undefined ? { address } : {}),
    facts: isHost ? prefixed(told) : { platform: account.platform, ...told },
    labels: thing.labels,
    relations: placed ? explicit : [...explicit, { type: isHost ? "hosted-by" : "part-of", to: where, detail: "" }],
  };
}

/** Facts that only a platform tells of a host, whoever else looks at it. */
const prefixed = (facts: Readonly<Record<string, string>>) =>
  Object.fromEntries(Object.entries(facts).map(([name, value]) => [`${OF_PLATFORM}${name}`, value]));
