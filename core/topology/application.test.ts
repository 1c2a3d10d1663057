import { describe, expect, it } from "vitest";
import { patternOfName, proposeApplication, redundantSets, type Candidate, type Evidence } from "./application";

const part = (id: number, name: string, kind = "app.process", more: Partial<Candidate> = {}): Candidate => ({
  id,
  name: `${name} @ host`,
  kind,
  hostId: 100 + id,
  label: name,
  services: [],
  entryOf: [],
  ...more,
});
const talk = (from: number, to: number, more: Partial<Evidence> = {}): Evidence => ({
  type: "talks-to",
  from,
  to,
  detail: "tcp/1",
  seenBy: "both",
  intermittent: false,
  ...more,
});
const things = new Map(
  [
    part(1, "web", "app.web"),
    part(2, "orders"),
    part(3, "store", "db.relational"),
    part(4, "queue", "queue.broker"),
    part(5, "nightly"),
    part(6, "billing", "app.process", { services: ["Billing"] }),
    part(7, "ledger", "app.process"),
    part(8, "alone"),
    part(101, "host-1", "host.linux", { hostId: null, label: null, name: "gate-01" }),
    part(102, "host-2", "host.linux", { hostId: null, label: null, name: "gate-02" }),
    { ...part(9, "web", "app.web"), hostId: 102 },
  ].map((one) => [one.id, one]),
);
const find = (id: number) => things.get(id);

describe("a whole application", () => {
  const proposed = proposeApplication(
    [1],
    [talk(1, 2), talk(2, 3), talk(2, 4, { seenBy: "caller" }), talk(5, 4), talk(6, 3), talk(7, 6), talk(2, 1)],
    find,
  );
  it("reaches every tier from the entry, and what works on its stores", () =>
    expect(proposed.map((one) => [one.id, one.tier, one.taken])).toEqual([
      [1, 0, true],
      [2, 1, true],
      [3, 2, true],
      [4, 2, true],
      [5, 3, true],
      [6, 3, false],
    ]));
  it("says why each is in, and what speaks against it", () => {
    expect(proposed[1]).toMatchObject({ why: "web @ host talks to it on tcp/1", doubt: "" });
    expect(proposed[3]?.doubt).toBe("Only the calling side shows the connection.");
    expect(proposed[4]?.doubt).toContain("a batch worker");
    expect(proposed[5]?.doubt).toBe("It belongs to Billing already.");
  });
  it("says that only the host is known where no process is, and that a connection comes and goes", () => {
    expect(proposeApplication([1], [talk(1, 101)], find)[1]?.doubt).toContain("Only the host is known");
    expect(proposeApplication([1], [talk(1, 2, { intermittent: true })], find)[1]?.doubt).toContain("comes and goes");
  });
  it("ends where another service begins", () => {
    const begins = (id: number) => {
      const one = find(id);
      return one && id === 2 ? { ...one, entryOf: ["Orders"] } : one;
    };
    expect(proposeApplication([1], [talk(1, 2), talk(2, 3)], begins)).toMatchObject([
      { id: 1 },
      { id: 2, taken: false, isReached: false, doubt: "It is where Orders begins: this service relies on that one." },
    ]);
  });
  it("ends in circles, and takes nothing that is gone", () =>
    expect(proposeApplication([1], [talk(1, 2), talk(2, 1), talk(2, 99)], find)).toHaveLength(2));
});

describe("redundant sets", () => {
  it("are one program on hosts named alike", () => {
    const set = redundantSets([1, 9, 2], (id) => (id === 1 ? { ...part(1, "web"), hostId: 101 } : find(id)));
    expect(set).toEqual([{ label: "web", hosts: "gate-*", members: [1, 9] }]);
  });
  it("have patterns of names", () => expect(patternOfName("nq-gate-web-01")).toBe("nq-gate-web-*"));
});
