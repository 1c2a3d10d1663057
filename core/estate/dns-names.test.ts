import { describe, expect, it } from "vitest";
import { observeNames } from "./dns-names";
import { EstateBook } from "./known";
import { identityKey, type Look, type Observation } from "./observation";
import { planEstate } from "./plan";
import { carryOut } from "./plan.kit";

const byAddress = (address: string): Observation => ({
  keys: [identityKey("addr", address)],
  kind: { is: "host.unknown", reason: "answers on TCP but not SNMP", confidence: 0.4 },
  name: address,
  address,
  depth: 0,
  readBy: "",
  facts: { address },
});
const lookOf = (observations: Observation[], sourceId: number): Look => ({
  observer: { sourceId, label: "", site: "Room" },
  atMs: 1,
  sinceMs: 1,
  observations,
});
const swept = (book: EstateBook, observations: Observation[]) =>
  carryOut(book, planEstate(book, lookOf(observations, 7)));

describe("names from DNS", () => {
  const book = swept(new EstateBook([], []), [byAddress("10.0.0.1")]);

  it("name what is known by its address only, and stay its name", () => {
    const named = carryOut(
      book,
      planEstate(
        book,
        lookOf(
          [observeNames("10.0.0.1", ["web.quay.example", "quay-1.quay.example"], new Set(["web.quay.example"]))],
          8,
        ),
      ),
    );
    expect(named.components[0]).toMatchObject({
      name: "quay-1",
      kind: "host.unknown",
      facts: { address: "10.0.0.1", "DNS names": "web.quay.example, quay-1.quay.example" },
    });
    expect(swept(named, [byAddress("10.0.0.1")]).components[0]).toMatchObject({
      name: "quay-1",
      facts: { "DNS names": "web.quay.example, quay-1.quay.example" },
    });
  });

  it("make nothing known, and are kept to themselves where several share them", () => {
    const plan = planEstate(
      book,
      lookOf(
        [
          observeNames("10.0.0.2", ["old.quay.example"]),
          observeNames("10.0.0.1", ["web.quay.example"], new Set(["web.quay.example"])),
        ],
        8,
      ),
    );
    expect(plan.changes).toEqual([]);
    expect(plan.unknown.map((one) => one.address)).toEqual(["10.0.0.2"]);
    expect(plan.heard).toMatchObject([{ id: 1, name: null }]);
  });

  it("leave the name that a host gives itself", () => {
    const own = swept(new EstateBook([], []), [
      {
        ...byAddress("10.0.0.1"),
        name: "crane",
        keys: [identityKey("name", "crane"), identityKey("addr", "10.0.0.1")],
        depth: 3,
        readBy: "snmp",
      },
    ]);
    expect(planEstate(own, lookOf([observeNames("10.0.0.1", ["x.quay.example"])], 8)).heard).toMatchObject([
      { name: null, quiet: { "DNS names": "x.quay.example" } },
    ]);
  });
});
