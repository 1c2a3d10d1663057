import type { KnownComponent } from "./known";
import { isOfPlatform, LISTED, PLATFORM, TOLD } from "./labels";
import type { Observation } from "./observation";

export interface FactChange {
  fact: string;
  before: string | undefined;
  after: string | undefined;
}

export const isName = (key: string) => key.startsWith("name:");

/**
 * Whether an observer sees less of a thing than who read it before; of two that see as much, the first is kept to, so
 * that what they say differently does not change with every look.
 */
export const looksLessDeep = ({ depth, readBy, hearsay }: Observation, before: KnownComponent): boolean =>
  // Any look says more than what was told.
  (hearsay !== undefined || before.readBy !== TOLD) &&
  (depth < before.depth ||
    (depth === before.depth && before.sourceId !== null && before.readBy !== "" && readBy !== before.readBy));

/** Whether only an address leads from what was told to a host that calls itself otherwise: records outlive hosts. */
export function isAnothersAddress({ keys }: Observation, { keys: known }: KnownComponent): boolean {
  if (keys.some((key) => key.strength > 1 && known.includes(key.value))) return false;
  const called = (key: string) => key.slice("name:".length).split(".")[0];
  const names = known.filter(isName).map(called);
  return names.length > 0 && !keys.some(({ value }) => isName(value) && names.includes(called(value)));
}

/** Whether a host that was reached by another address has the one it is known by still, so that it did not move. */
export const hasAddressStill = ({ address, inventory }: Observation, before: KnownComponent): boolean =>
  before.address !== null && address !== before.address && inventory?.addresses?.includes(before.address) === true;

/** Facts of its own that an observer says otherwise than they stand. */
export const newFacts = ({ ownFacts }: Observation, before: KnownComponent, but?: ReadonlySet<string>) =>
  Object.fromEntries(
    Object.entries(ownFacts ?? {}).filter(([fact, value]) => before.facts[fact] !== value && !but?.has(fact)),
  );

/** Kind and name count as facts, so that a thing recognised better is a change. */
export function factChanges(
  before: KnownComponent,
  { facts, ownFacts, readBy, isSilent, silentPorts }: Observation,
  kind: string,
  name: string,
  voice: string,
): FactChange[] {
  const changes: FactChange[] = [];
  if (before.kind !== kind) changes.push({ fact: "kind", before: before.kind, after: kind });
  if (before.name !== name) changes.push({ fact: "name", before: before.name, after: name });
  for (const fact of [...new Set([...Object.keys(before.facts), ...Object.keys(facts)])].sort()) {
    if (isOfOneObserver(fact) || (ownFacts && fact in ownFacts)) continue;
    // Of several platforms that tell of one host, each speaks for what it told first.
    if (isOfPlatform(fact) && (before.tellers[fact] ?? voice) !== voice) continue;
    if (isSilent && facts[fact] === undefined && OF_ANSWERS.has(fact)) continue;
    // A port that is too busy to greet, or all that are too busy to let anybody in, speak what they were known to.
    const isUnheard = ownFacts?.["open ports"] === undefined || silentPorts?.includes(Number(before.facts[fact]));
    if (fact === "ssh port" && facts[fact] === undefined && isUnheard) continue;
    // What only another reader can tell is not taken back by this one.
    const teller = tellerOf(fact);
    if (facts[fact] === undefined && teller !== undefined && teller !== readBy) continue;
    if (before.facts[fact] !== facts[fact]) changes.push({ fact, before: before.facts[fact], after: facts[fact] });
  }
  return changes;
}

/** What ports tell when they answer: one that keeps silent for once was not changed. */
const OF_ANSWERS = new Set([
  "answers as",
  "banner",
  "certificate expires",
  "certificate for",
  "certificate issuer",
  "page",
  "product",
  "TLS ports",
  "TLS protocol",
  "version",
]);

/** Of these, what who looked deepest says. */
export const OF_DEEPEST = new Set(["open ports"]);

/** Facts that one reader alone can tell, however deep others look. */
const TOLD_BY: Readonly<Record<string, string>> = {
  contact: "snmp",
  location: "snmp",
  "object id": "snmp",
  hypervisor: "snmp",
};
export const tellerOf = (fact: string): string | undefined =>
  TOLD_BY[fact] ?? (isOfPlatform(fact) ? PLATFORM : undefined);

/** Facts that one kind of observer tells alone; others neither change nor take them back. */
const OF_ONE_OBSERVER = new Set(["open ports", "agent", "DNS names"]);
const isOfOneObserver = (fact: string) => OF_ONE_OBSERVER.has(fact) || fact.startsWith(LISTED);

const LACK = "is no longer reported";

/** Whether a change of facts in words tells of nothing but what was not seen any more: who fails to answer was not changed. */
export const isOnlyLack = (summary: string): boolean => summary.split("; ").every((part) => part.endsWith(LACK));

/** "location is now “Rack 4”": a change of facts in words. */
export const factInWords = ({ fact, before, after }: FactChange): string =>
  before === undefined
    ? `${fact} is now “${after}”`
    : after === undefined
      ? `${fact} “${before}” ${LACK}`
      : `${fact}: “${before}” became “${after}”`;
