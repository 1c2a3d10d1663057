import { describe, expect, it } from "vitest";
import { EstateBook } from "./known";
import { observeListed, parseList } from "./list";
import { planAbsence } from "./absence";
import { planEstate } from "./plan";
import { carryOut } from "./plan.kit";
import { identityKey, type Look, type Observation } from "./observation";

const rowsOf = (text: string) => {
  const result = parseList(text);
  if (!result.ok) throw new Error(result.problem);
  return result.rows;
};
const problemOf = (text: string) => {
  const result = parseList(text);
  return result.ok ? undefined : result.problem;
};

describe("lists of what ought to be there", () => {
  it("are read from CSV with whatever stands between the columns", () => {
    const [row] = rowsOf(
      "Name;Kind;Address;Site;Owner;Tags;Rack\nquay-07.example;Linux host;10.0.0.5 2001:DB8::0:7;Quay;Crane crew;cranes,night;R 4\n",
    );
    expect(row).toEqual({
      name: "quay-07.example",
      kind: "host.linux",
      addresses: ["10.0.0.5", "2001:db8::7"],
      site: "Quay",
      serial: "",
      uuid: "",
      macs: [],
      labels: [
        { name: "owner", value: "Crane crew" },
        { name: "tag", value: "cranes" },
        { name: "tag", value: "night" },
      ],
      more: { rack: "R 4" },
    });
  });

  it("are read from JSON, with lists in it", () => {
    const [row] = rowsOf(
      '[{"name": "quay-07", "addresses": ["10.0.0.5"], "tags": ["a", "b"], "mac": "02-5E-00-00-00-01", "floor": 2}]',
    );
    expect(row).toMatchObject({
      addresses: ["10.0.0.5"],
      macs: ["02:5e:00:00:00:01"],
      labels: [
        { name: "tag", value: "a" },
        { name: "tag", value: "b" },
      ],
      more: { floor: "2" },
    });
  });

  it.each([
    ["name\n", "The list has no rows."],
    [
      "host,address\na,10.0.0.1\n",
      "The first line has to name the columns, one of them “name”: name, address, owner …",
    ],
    ["name,address\na,ten\n", "Line 2: “ten” is no address."],
    ["name,kind\na,toaster\n", "Line 2: “toaster” is no kind of host"],
    ["name\na\nb\nA\n", "Line 4: “A” stands in line 2 already."],
    ["name,owner\na,x:y\n", "Line 2: owner: A label has neither a comma nor a colon."],
    ["name,mac\na,1\nb,1\nc,1\nd,1\n", "And 1 more."],
    ['{"name": "a"}', "JSON has to be a list"],
    ['[{"name": "a"}, 7]', "Entry 2 is no object with a name."],
    ["[{", "This is no JSON"],
  ])("that are wrong are refused with what is wrong: %j", (text, problem) =>
    expect(problemOf(text)).toContain(problem),
  );
});

const seen = (name: string, address: string): Observation => ({
  keys: [identityKey("name", name), identityKey("addr", address)],
  kind: { is: "host.linux", reason: "", confidence: 0.95 },
  name,
  address,
  depth: 3,
  readBy: "snmp",
  facts: { address },
});
const lookOf = (observations: Observation[], sourceId = 7): Look => ({
  observer: { sourceId, label: "", site: "Room", ...(sourceId === 9 ? { modest: true } : {}) },
  atMs: 1,
  sinceMs: 1,
  observations,
});
const listed = (text: string) => rowsOf(`name,address,rack\n${text}`).map(observeListed);
const swept = (book: EstateBook, observations: Observation[]) =>
  carryOut(book, planEstate(book, lookOf(observations)), 7);
const told = (book: EstateBook, text: string) => carryOut(book, planEstate(book, lookOf(listed(text), 9)), 9);
const empty = new EstateBook([], []);
const present = (book: EstateBook) =>
  book.components.filter((one) => !one.retired).map((one) => [one.name, one.sourceId, one.facts["listed rack"]]);

describe("what a list says of the estate", () => {
  it("adds to what is known, keeps to what was seen, and makes known what nobody saw", () => {
    const book = told(swept(empty, [seen("a", "10.0.0.1")]), "a,10.0.0.1,R1\nb,10.0.0.2,R2\n");
    expect(present(book)).toEqual([
      ["a", 7, "R1"],
      ["b", 9, "R2"],
    ]);
    // The next sweep takes none of it back, however little it sees of what was only listed.
    expect(present(swept(book, [seen("a", "10.0.0.1"), seen("b", "10.0.0.2")]))).toEqual([
      ["a", 7, "R1"],
      ["b", 9, "R2"],
    ]);
  });

  it("is no sight: what nobody sees any more leaves, though a list still names it", () => {
    const book = told(swept(empty, [seen("a", "10.0.0.1")]), "a,10.0.0.1,R1\n");
    const missed = new EstateBook(
      book.components.map((one) => ({ ...one, missed: 1 })),
      [],
    );
    expect(told(missed, "a,10.0.0.1,R1\n").components[0]?.missed).toBe(1);
    const gone = new EstateBook(
      book.components.map((one) => ({ ...one, retired: true })),
      [],
    );
    expect(present(told(gone, "a,10.0.0.1,R1\n"))).toEqual([]);
  });

  it("does not make another host of the one at an address that the list has for somebody else", () => {
    const book = told(swept(empty, [seen("new", "10.0.0.1")]), "old,10.0.0.1,R1\n");
    expect(present(book)).toEqual([
      ["new", 7, undefined],
      ["old", 9, "R1"],
    ]);
    expect(book.ofKey("addr:10.0.0.1")).toBe(1);
  });

  it("that is not said any more leaves after two looks, of its own only", () => {
    const book = told(swept(empty, [seen("a", "10.0.0.1")]), "b,10.0.0.2,R2\n");
    const nothing = {
      sourceId: 9,
      seen: new Set<number>(),
      unlisted: new Set<number>(),
      refused: new Set<string>(),
      hypervisorOf: new Map<number, number>(),
    };
    expect(planAbsence(book.components, [{ what: "own" }], nothing)).toMatchObject([{ what: "missing", id: 2 }]);
  });
});
