import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { planAbsence } from "./absence";
import { EstateBook } from "./known";
import { identityKey, type Look, type Observation } from "./observation";
import { planEstate } from "./plan";
import { carryOut } from "./plan.kit";

const AT = 1_000_000;
const SOURCE = 7;

const host = (name: string, address: string, changes: Partial<Observation> = {}): Observation => ({
  keys: [identityKey("name", name), identityKey("addr", address)],
  kind: { is: "host.linux", reason: "sysObjectID", confidence: 0.95 },
  name,
  address,
  depth: 2,
  readBy: "snmp",
  facts: { address, "host name": name },
  partsListed: true,
  ...changes,
});
const outside = (address: string): Observation =>
  host(address, address, {
    keys: [identityKey("addr", address)],
    kind: { is: "host.unknown", reason: "answers on TCP", confidence: 0.4 },
    depth: 0,
    readBy: "",
    facts: { address },
    partsListed: false,
  });
const process = (on: string, name: string, port: number): Observation => ({
  keys: [identityKey("process", `name:${on}:${name}`), identityKey("listen", `name:${on}:${port}`)],
  kind: { is: "app.process", reason: "listens", confidence: 0.8 },
  name: `${name} @ ${on}`,
  host: { key: `name:${on}` },
  process: name,
  label: name,
  port,
  depth: 2,
  readBy: "snmp",
  facts: { process: name, ports: String(port) },
});
const look = (observations: readonly Observation[], changes: Partial<Look> = {}): Look => ({
  observer: { sourceId: SOURCE, label: "sweep", site: "Room" },
  atMs: AT,
  sinceMs: AT,
  observations,
  ...changes,
});

const EMPTY = new EstateBook([], []);
const after = (...looks: Look[]) => looks.reduce((book, one) => carryOut(book, planEstate(book, one)), EMPTY);
/** What is in the estate, whatever the ids. */
const picture = (book: EstateBook) =>
  book.components
    .map((one) => ({
      ...one,
      id: 0,
      hostId: one.hostId === null ? null : (book.component(one.hostId)?.name ?? ""),
      joined: one.joined.length,
    }))
    .sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1));
const present = (book: EstateBook) =>
  book.components
    .filter((one) => !one.retired)
    .map((one) => one.name)
    .sort();

/** Machines, two of them clones with one UUID, and some of which less is told. */
const MACHINES: { machine?: string; mac?: string }[] = [
  { machine: "u", mac: "m1" },
  { machine: "u", mac: "m2" },
  { machine: "v", mac: "m3" },
  { mac: "m4" },
  {},
];

/** Hosts that share names and addresses in every unlucky way, with processes, seen deep or from outside. */
const observations = fc
  .uniqueArray(
    fc.record({
      name: fc.constantFrom("a", "b", "c", "d"),
      address: fc.constantFrom(...[1, 2, 3, 4, 5, 6].map((last) => `10.0.0.${last}`)),
      deep: fc.boolean(),
      ports: fc.subarray([80, 81]),
      hardware: fc.constantFrom(...MACHINES),
    }),
    // One source sees one thing at an address.
    { maxLength: 6, selector: (one) => one.address },
  )
  .map((hosts) =>
    hosts.flatMap(({ name, address, deep, ports, hardware: { machine, mac } }) =>
      deep
        ? [
            host(name, address, {
              keys: [
                ...(machine ? [identityKey("machine", machine)] : []),
                ...(mac ? [identityKey("mac", mac)] : []),
                identityKey("name", name),
                identityKey("addr", address),
              ],
            }),
            ...ports.map((port) => process(name, `p${port}`, port)),
          ]
        : [outside(address)],
    ),
  );
const shuffled = observations.chain((list) =>
  fc.tuple(fc.constant(list), fc.shuffledSubarray(list, { minLength: list.length })),
);

describe("laws of the plan", () => {
  it("the order of observations does not matter", () =>
    fc.assert(
      fc.property(observations, shuffled, (before, [list, other]) => {
        const book = after(look(before));
        expect(picture(carryOut(book, planEstate(book, look(other))))).toEqual(
          picture(carryOut(book, planEstate(book, look(list)))),
        );
      }),
    ));
  it("the same observations twice change nothing", () =>
    fc.assert(
      fc.property(observations, observations, (before, list) => {
        const book = after(look(before), look(list));
        expect(planEstate(book, look(list)).changes).toEqual([]);
      }),
    ));
  it("a hardware address passes on from who was seen with another, and settles at once", () => {
    const one = (name: string, address: string, ...more: Observation["keys"]) =>
      host(name, address, { keys: [...more, identityKey("name", name), identityKey("addr", address)] });
    const mac = (value: string) => identityKey("mac", value);
    const clones = [
      one("a", "10.0.0.5", mac("m4")),
      one("a", "10.0.0.1", identityKey("machine", "u"), mac("m1")),
      one("c", "10.0.0.6", identityKey("machine", "u"), mac("m2")),
    ];
    const book = after(look([one("c", "10.0.0.6", mac("m4"))]), look(clones));
    expect(book.component(book.ofKey("mac:m4") as number)?.keys).toContain("addr:10.0.0.5");
    expect(planEstate(book, look(clones)).changes).toEqual([]);
  });
  it("a key belongs to one component, and a component to one observation", () =>
    fc.assert(
      fc.property(observations, observations, (before, list) => {
        const book = after(look(before), look(list));
        const keys = book.components.flatMap((one) => one.keys);
        expect(new Set(keys).size).toBe(keys.length);
        const ids = planEstate(book, look(list)).seen.map((one) => one.id);
        expect(new Set(ids).size).toBe(ids.length);
      }),
    ));
  it("a split undoes a merge", () =>
    fc.assert(
      fc.property(fc.constantFrom("a", "b"), fc.boolean(), (first, parts) => {
        const second = first === "a" ? "b" : "a";
        const one = [host(first, "10.0.0.1"), ...(parts ? [process(first, "p80", 80)] : [])];
        const two = [host(second, "10.0.0.2"), ...(parts ? [process(second, "p80", 80)] : [])];
        const apart = after(look(one), look(two));
        const [a, b] = [one[0] as Observation, two[0] as Observation];
        const both = { ...a, keys: [...a.keys, ...b.keys] };
        const merged = carryOut(apart, planEstate(apart, look([both])));
        expect(merged.components.filter((each) => !each.retired && each.hostId === null)).toHaveLength(1);
        const again = carryOut(merged, planEstate(merged, look([...one, ...two])));
        expect(again.components.map((each) => ({ ...each, keys: [...each.keys] }))).toEqual(
          apart.components.map((each) => ({ ...each, keys: [...each.keys] })),
        );
      }),
    ));
  it("only an observer that listed in full can make a thing missing", () =>
    fc.assert(
      fc.property(observations, observations, (before, list) => {
        const book = after(look(before));
        const plan = planEstate(book, look(list));
        expect(plan.changes.filter((change) => change.what === "missing" || change.what === "retired")).toEqual([]);
        const established = {
          sourceId: SOURCE,
          seen: new Set(plan.seen.map((one) => one.id)),
          unlisted: plan.unread,
          refused: new Set<string>(),
          hypervisorOf: new Map<number, number>(),
        };
        expect(planAbsence(book.components, [], established)).toEqual([]);
        const all = [{ what: "addresses" as const, spans: [{ first: 0, last: 0xffffffff }] }];
        const gone = planAbsence(book.components, all, established);
        expect(gone.every((change) => change.what === "missing" && !established.seen.has(change.id))).toBe(true);
        expect(planAbsence(book.components, all, { ...established, sourceId: 99 })).toEqual([]);
      }),
    ));
});

describe("who is who", () => {
  it("a host that moved to another address is the same, and says so", () => {
    const plan = planEstate(after(look([host("a", "10.0.0.1")])), look([host("a", "10.0.0.9")]));
    expect(plan.changes).toMatchObject([
      {
        what: "changed",
        id: 1,
        facts: [{ fact: "address", before: "10.0.0.1", after: "10.0.0.9" }],
        reason: "same name “a”",
      },
    ]);
  });
  it("an address seen from outside becomes the host that later tells its name", () => {
    const book = after(look([outside("10.0.0.1")]), look([host("a", "10.0.0.1")]));
    expect(present(book)).toEqual(["a"]);
  });
  it("a host known elsewhere takes over what was known by its new address only", () => {
    const book = after(look([host("a", "10.0.0.1")]), look([outside("10.0.0.2")]));
    const plan = planEstate(book, look([host("a", "10.0.0.2")]));
    expect(plan.changes.find((change) => change.what === "joined")).toMatchObject({
      into: 1,
      id: 2,
      reason: "same address “10.0.0.2”",
    });
  });
  it("a new machine at the address of one that left is a new component", () => {
    const book = after(look([host("a", "10.0.0.1")]));
    const gone = new EstateBook(
      book.components.map((one) => ({ ...one, retired: true })),
      [],
    );
    expect(planEstate(gone, look([host("b", "10.0.0.1")])).changes.map((change) => change.what)).toEqual(["new"]);
    expect(planEstate(gone, look([host("a", "10.0.0.1")])).changes.map((change) => change.what)).toEqual(["back"]);
  });
  it("one host reached by two addresses is one; two machines of one name stay two", () => {
    expect(present(after(look([host("a", "10.0.0.1"), host("a", "10.0.0.2")])))).toEqual(["a"]);
    const machine = (address: string, hardware: string) =>
      host("a", address, {
        inventory: { interfaces: [{ physAddress: hardware }] } as unknown as NonNullable<Observation["inventory"]>,
      });
    expect(
      present(after(look([machine("10.0.0.1", "02:00:00:00:00:01"), machine("10.0.0.2", "02:00:00:00:00:02")]))),
    ).toEqual(["a", "a"]);
  });
  it("a look from outside takes nothing back of what a system told, nor its parts", () => {
    const book = after(look([host("a", "10.0.0.1"), process("a", "web", 80)]));
    const plan = planEstate(
      book,
      look([outside("10.0.0.1"), { ...process("a", "port 80", 80), host: { key: "addr:10.0.0.1" }, depth: 0 }]),
    );
    expect(plan.changes).toEqual([]);
    expect([...plan.unread]).toEqual([1]);
  });
  it("what a port told is not taken back by its silence, but by what it says instead", () => {
    const told: Partial<Observation> = {
      kind: { is: "app.web", reason: "answers HTTP", confidence: 0.8 },
      facts: { process: "web", ports: "80", "answers as": "web/4.2", product: "web", version: "4.2", page: "Slots" },
    };
    const book = after(look([host("a", "10.0.0.1"), { ...process("a", "web", 80), ...told }]));
    const silent: Partial<Observation> = {
      kind: { is: "app.process", reason: "listens", confidence: 0.4 },
      isSilent: true,
    };
    const again = (changes: Partial<Observation>) =>
      planEstate(book, look([host("a", "10.0.0.1"), { ...process("a", "web", 80), ...changes }])).changes;
    expect(again(silent)).toEqual([]);
    // What is told otherwise than by its answers is taken back as ever.
    expect(again({ ...silent, facts: { process: "web" } })).toMatchObject([{ facts: [{ fact: "ports" }] }]);
    const other = { ...told, facts: { process: "web", ports: "80", "answers as": "web/5.0", version: "5.0" } };
    expect(again(other)).toMatchObject([
      { facts: [{ fact: "answers as" }, { fact: "page" }, { fact: "product" }, { fact: "version" }] },
    ]);
  });
  it("a port known to speak SSH speaks it still when it is open and does not greet, and no longer when it says otherwise", () => {
    const book = after(look([host("a", "10.0.0.1", { facts: { address: "10.0.0.1", "ssh port": "2222" } })]));
    const again = (silentPorts: number[], ports?: string) =>
      planEstate(
        book,
        look([
          host("a", "10.0.0.1", {
            facts: { address: "10.0.0.1" },
            silentPorts,
            ...(ports === undefined ? {} : { ownFacts: { "open ports": ports } }),
          }),
        ]),
      ).changes;
    const lost = (...asked: Parameters<typeof again>) =>
      again(...asked).flatMap((one) => ("facts" in one && Array.isArray(one.facts) ? one.facts : []));
    expect(lost([80, 2222], "80, 2222")).not.toContainEqual(expect.objectContaining({ fact: "ssh port" }));
    expect(lost([80], "80")).toContainEqual(expect.objectContaining({ fact: "ssh port", before: "2222" }));
    // Where no port let anybody in, but its agent answered, nothing is known of its ports.
    expect(again([])).toEqual([]);
  });
  it("several observers of one host: the deepest says what it is, and what another alone can tell stays", () => {
    const snmp = host("a", "10.0.0.1", { facts: { address: "10.0.0.1", location: "Rack 1", kernel: "old" } });
    const shell = host("a", "10.0.0.1", { depth: 4, readBy: "ssh", facts: { address: "10.0.0.1", kernel: "new" } });
    const book = after(look([snmp, process("a", "web", 80)]), look([shell]));
    expect(book.component(1)?.facts).toEqual({ address: "10.0.0.1", location: "Rack 1", kernel: "new" });
    const moved = { ...snmp, facts: { ...snmp.facts, location: "Rack 2" } };
    const plan = planEstate(book, look([moved, process("a", "other", 81)]));
    // The shallow one tells its own facts alone, and its parts neither join nor leave.
    expect(plan.changes).toMatchObject([
      { what: "changed", facts: [{ fact: "location", before: "Rack 1", after: "Rack 2" }] },
    ]);
    expect(plan.unread.has(1)).toBe(true);
  });
  it("a host reached by another of its addresses did not move", () => {
    const by = (address: string) =>
      host("a", address, {
        inventory: { interfaces: [], addresses: ["10.0.0.1", "2001:db8::1"] } as unknown as NonNullable<
          Observation["inventory"]
        >,
      });
    const book = after(look([by("10.0.0.1")]));
    const plan = planEstate(book, look([by("2001:db8::1")]));
    expect(plan.changes).toEqual([]);
    expect(carryOut(book, plan).component(1)?.address).toBe("10.0.0.1");
  });
  it("of two that look as deep, the first is kept to", () => {
    const first = host("a", "10.0.0.1", { facts: { kernel: "6.1" } });
    const second = host("a", "10.0.0.1", { readBy: "ssh", facts: { kernel: "Linux 6.1" } });
    expect(planEstate(after(look([first])), look([second])).changes).toEqual([]);
  });
  it("cloned machines of one name keep their processes apart", () => {
    const clone = (address: string, mac: string) =>
      host("a", address, {
        inventory: { interfaces: [{ physAddress: mac }] } as unknown as NonNullable<Observation["inventory"]>,
      });
    const part = (address: string) => ({ ...process("a", "web", 80), host: { key: `addr:${address}` } });
    const list = [
      clone("10.0.0.1", "02:00:00:00:00:01"),
      clone("10.0.0.2", "02:00:00:00:00:02"),
      part("10.0.0.1"),
      part("10.0.0.2"),
    ];
    const book = after(look(list));
    const parts = book.components.filter((one) => one.hostId !== null);
    expect(parts).toHaveLength(2);
    expect(new Set(parts.map((one) => one.hostId)).size).toBe(2);
  });
  it("a second container of one name goes by its second name, and keeps it", () => {
    const container = (id: string): Observation => ({
      ...process("a", "slots", 0),
      keys: [identityKey("container", id)],
      nameElse: `slots-${id} @ a`,
      host: { id: 1 },
      depth: 1,
    });
    const list = [container("one"), container("two")];
    const book = after(look([host("a", "10.0.0.1")]), look(list));
    expect(present(book)).toEqual(["a", "slots @ a", "slots-two @ a"]);
    expect(planEstate(book, look(list)).changes).toEqual([]);
  });
  it("a modest observer takes no address from what has a name, and adds no more than it may", () => {
    const book = after(look([host("a", "10.0.0.1")]));
    const agent = { observer: { sourceId: 9, label: "an agent", site: "", modest: true } };
    const plan = planEstate(book, look([host("b", "10.0.0.1", { depth: 1 })], { ...agent, mostNew: 0 }));
    expect(plan).toMatchObject({ changes: [], refused: 0 });
    expect(
      planEstate(book, look([host("b", "10.0.0.7"), host("c", "10.0.0.8")], { ...agent, mostNew: 1 })).refused,
    ).toBe(1);
  });
});

describe("absence", () => {
  const book = after(look([host("a", "10.0.0.1"), process("a", "web", 80), host("b", "10.0.0.2")]));
  const listing = [{ what: "addresses" as const, spans: [{ first: 0x0a000001, last: 0x0a000001 }] }];
  const none = {
    sourceId: SOURCE,
    seen: new Set<number>(),
    unlisted: new Set<number>(),
    refused: new Set<string>(),
    hypervisorOf: new Map<number, number>(),
  };
  it("counts for addresses that were tried only", () =>
    expect(
      planAbsence(book.components, listing, none).map((change) =>
        "id" in change ? book.component(change.id)?.name : "",
      ),
    ).toEqual(["a"]));
  it("takes a host and its parts at the second miss", () => {
    const once = new EstateBook(
      book.components.map((one) => ({ ...one, missed: 1 })),
      [],
    );
    expect(planAbsence(once.components, listing, none)).toMatchObject([
      { what: "retired", id: 1 },
      { what: "retired" },
    ]);
  });
  it("of a process counts only where its host listed its processes", () => {
    const seen = new Set([1]);
    const missing = (unlisted: Set<number>) =>
      planAbsence(book.components, listing, { ...none, seen, unlisted }).length;
    expect([missing(new Set()), missing(new Set([1]))]).toEqual([1, 0]);
  });
  it("of what is listened to counts at once", () =>
    expect(planAbsence(book.components, [{ what: "these", ids: new Set([1]), atOnce: true }], none)).toHaveLength(2));
});
