import fc from "fast-check";
import { expect, it } from "vitest";
import { EstateBook } from "./known";
import { PLATFORM } from "./labels";
import { identityKey, type Look, type Observation } from "./observation";
import { planEstate } from "./plan";
import { carryOut } from "./plan.kit";

const SAYS = ["cloud", "hardware", "hypervisor"] as const;
const told = fc.record({
  who: fc.constantFrom(...SAYS),
  /** Names and values of what it tells this time. */
  facts: fc.dictionary(fc.constantFrom("state", "processors", "serial"), fc.constantFrom("1", "2")),
});
type Told = { who: (typeof SAYS)[number]; facts: Record<string, string> };

const lookOf = ({ who, facts }: Told): Look => {
  const observation: Observation = {
    keys: [identityKey("machine", "u-1"), identityKey("name", "virt-1")],
    kind: { is: "host.hypervisor", reason: "listed", confidence: 0.6 },
    name: "virt-1",
    depth: 1,
    readBy: PLATFORM,
    facts: Object.fromEntries(Object.entries(facts).map(([name, value]) => [`platform ${name}`, value])),
  };
  return {
    observer: { sourceId: SAYS.indexOf(who) + 1, label: `platform ${who}`, site: "Room" },
    atMs: 1,
    sinceMs: 1,
    observations: [observation],
  };
};
const see = (book: EstateBook, one: Told) => {
  const look = lookOf(one);
  return carryOut(book, planEstate(book, look), look.observer.sourceId, "Room", look.observer.label);
};

it("keeps what several platforms tell of one host apart: none takes back or changes what another told", () => {
  fc.assert(
    fc.property(fc.array(told, { minLength: 1, maxLength: 8 }), (looks) => {
      let book = new EstateBook([], []);
      for (const one of looks) book = see(book, one);
      // Whatever was said last by each, saying all of it again changes nothing.
      const last = SAYS.flatMap((who) => looks.findLast((one) => one.who === who) ?? []);
      for (const one of last) book = see(book, one);
      for (const one of [...last, ...last.toReversed()]) expect(planEstate(book, lookOf(one)).changes).toEqual([]);
    }),
  );
});

it("lets a platform change and take back what it told itself", () => {
  let book = see(new EstateBook([], []), { who: "cloud", facts: { state: "1", processors: "2" } });
  book = see(book, { who: "hardware", facts: { serial: "1" } });
  book = see(book, { who: "cloud", facts: { state: "2" } });
  expect(book.components[0]?.facts).toEqual({ "platform state": "2", "platform serial": "1" });
});
