import { describe, expect, it } from "vitest";
import { EstateBook, type KnownComponent } from "./known";
import { evidenceOf, isOwnHardware, weigh } from "./identity";
import { identityKey, type KeyKind, type Observation } from "./observation";
import { planEstate } from "./plan";
import { carryOut } from "./plan.kit";

/** What one look shows of one machine; `truth` is which machine it really is. */
interface Seen {
  truth: string;
  name?: string;
  at: string;
  also?: string[];
  machine?: string;
  serial?: string;
  mac?: string[];
  hostkey?: string;
}

/** A look of one source at several machines. */
interface Look {
  site?: string;
  source?: number;
  seen: Seen[];
}

interface Case {
  what: string;
  looks: Look[];
}

const a = { truth: "a", name: "a", at: "10.0.0.1", machine: "u-a", serial: "sn-aaaa", mac: ["m-a"], hostkey: "k-a" };
const b = { truth: "b", name: "b", at: "10.0.0.2", machine: "u-b", serial: "sn-bbbb", mac: ["m-b"], hostkey: "k-b" };
const snmp = ({ truth, name, at, mac }: typeof a) => ({ truth, name, at, mac });
const outside = (truth: string, at: string) => ({ truth, at });

/** Identities that are awkward in practice, labelled with which machine each sight is of. */
const CASES: Case[] = [
  { what: "the same twice", looks: [{ seen: [a, b] }, { seen: [b, a] }] },
  {
    what: "addresses exchanged",
    looks: [
      { seen: [a, b] },
      {
        seen: [
          { ...a, at: b.at },
          { ...b, at: a.at },
        ],
      },
    ],
  },
  { what: "moved to a new address", looks: [{ seen: [snmp(a)] }, { seen: [{ ...snmp(a), at: "10.0.9.9" }] }] },
  { what: "renamed", looks: [{ seen: [a, b] }, { seen: [{ ...a, name: "shop-1" }, b] }] },
  { what: "renamed and moved", looks: [{ seen: [a] }, { seen: [{ ...a, name: "shop-1", at: "10.0.9.9" }] }] },
  {
    what: "names exchanged",
    looks: [
      { seen: [a, b] },
      {
        seen: [
          { ...a, name: "b" },
          { ...b, name: "a" },
        ],
      },
    ],
  },
  {
    what: "a name used again by another machine",
    looks: [
      { seen: [a] },
      {
        seen: [
          { ...a, name: "old-a" },
          { ...b, name: "a", at: "10.0.0.7" },
        ],
      },
    ],
  },
  { what: "installed anew: another host key", looks: [{ seen: [a] }, { seen: [{ ...a, hostkey: "k-new" }] }] },
  {
    what: "rebuilt whole at its name and address",
    looks: [{ seen: [a] }, { seen: [{ ...a, machine: "u-new", serial: "sn-new1", mac: ["m-new"], hostkey: "k-new" }] }],
  },
  { what: "a network card replaced", looks: [{ seen: [a] }, { seen: [{ ...a, mac: ["m-new"] }] }] },
  { what: "clones of one UUID in one look", looks: [{ seen: [a, { ...b, machine: a.machine, serial: a.serial }] }] },
  {
    what: "clones of one UUID, met one after the other",
    looks: [
      { seen: [a] },
      { seen: [{ ...b, machine: a.machine, serial: a.serial }] },
      { seen: [a] },
      { seen: [a, { ...b, machine: a.machine, serial: a.serial }] },
    ],
  },
  { what: "clones with one host key", looks: [{ seen: [a] }, { seen: [{ ...b, hostkey: a.hostkey }] }, { seen: [a] }] },
  {
    what: "clones of one name, not renamed yet",
    looks: [{ seen: [snmp(a), { ...snmp(b), name: "a" }] }, { seen: [{ ...snmp(b), name: "a" }, snmp(a)] }],
  },
  {
    what: "one short name in two sites",
    looks: [
      { site: "North", source: 1, seen: [{ ...snmp(a), name: "web-01" }] },
      { site: "South", source: 2, seen: [{ ...snmp(b), name: "web-01" }] },
      { site: "North", source: 1, seen: [{ ...snmp(a), name: "web-01" }] },
    ],
  },
  {
    what: "one short name in two sites, nothing else known",
    looks: [
      { site: "North", source: 1, seen: [{ truth: "a", name: "web-01", at: "10.0.0.1" }] },
      { site: "South", source: 2, seen: [{ truth: "b", name: "web-01", at: "10.1.0.1" }] },
    ],
  },
  {
    what: "one host looked at by sources of two sites",
    looks: [
      { site: "North", source: 1, seen: [snmp(a)] },
      { site: "All Linux", source: 2, seen: [a] },
      { site: "North", source: 1, seen: [snmp(a)] },
    ],
  },
  {
    what: "several addresses in one look",
    looks: [
      { seen: [{ ...a, also: ["10.9.0.1"] }, { ...a, at: "10.9.0.1", also: ["10.0.0.1"] }, b] },
      { seen: [{ ...a, at: "10.9.0.1", also: ["10.0.0.1"] }, b] },
    ],
  },
  {
    what: "an address that passes between two of a pair",
    looks: [
      { seen: [{ ...a, also: ["10.0.0.100"] }, b, { ...a, at: "10.0.0.100", also: [a.at] }] },
      { seen: [a, { ...b, also: ["10.0.0.100"] }, { ...b, at: "10.0.0.100", also: [b.at] }] },
    ],
  },
  { what: "first from outside, then read", looks: [{ seen: [outside("a", a.at)] }, { seen: [a] }] },
  {
    what: "another machine at the address of one that moved",
    looks: [
      { seen: [a] },
      {
        seen: [
          { ...a, at: "10.0.0.9" },
          { ...b, at: a.at },
        ],
      },
      {
        seen: [
          { ...b, at: a.at },
          { ...a, at: "10.0.0.9" },
        ],
      },
    ],
  },
  { what: "a short name and a full one", looks: [{ seen: [snmp(a)] }, { seen: [{ ...a, name: "a.example" }] }] },
  {
    what: "read by SNMP first and by SSH later",
    looks: [
      { source: 1, seen: [snmp(a), snmp(b)] },
      { source: 2, seen: [b, a] },
      { source: 1, seen: [snmp(a), snmp(b)] },
    ],
  },
];

function observation({ name, at, also = [], machine, serial, mac = [], hostkey }: Seen): Observation {
  const keys = (
    [
      ["machine", machine],
      ["serial", serial],
      ...mac.map((one) => ["mac", one] as const),
      ["hostkey", hostkey],
      ["name", name],
    ] as (readonly [KeyKind, string | undefined])[]
  ).flatMap(([kind, value]) => (value === undefined ? [] : [identityKey(kind, value)]));
  const read = name !== undefined;
  return {
    keys: [...keys, ...also.map((one) => identityKey("addr", one)), identityKey("addr", at)],
    kind: { is: read ? "host.linux" : "host.unknown", reason: "test", confidence: read ? 0.95 : 0.4 },
    name: name ?? at,
    address: at,
    depth: read ? (machine ? 4 : 3) : 0,
    readBy: read ? (machine ? "ssh" : "snmp") : "",
    facts: { address: at },
  };
}

/** Which machines each component was taken for, over all looks. */
function verdicts(looks: readonly Look[]): string[] {
  let book = new EstateBook([], []);
  const truths = new Map<number, Set<string>>();
  const components = new Map<string, Set<number>>();
  for (const { site = "Room", source = 1, seen } of looks) {
    const observations = seen.map(observation);
    const plan = planEstate(book, {
      observer: { sourceId: source, label: "sweep", site },
      atMs: 1,
      sinceMs: 1,
      observations,
    });
    const after = carryOut(book, plan, source, site);
    for (const [index, one] of observations.entries()) {
      // Who a sight was taken for: whoever has its address now.
      const id = after.ofKey(`addr:${one.address}`);
      const owner = id === undefined ? undefined : after.component(id);
      if (!owner || owner.retired) continue;
      const truth = (seen[index] as Seen).truth;
      truths.set(owner.id, (truths.get(owner.id) ?? new Set()).add(truth));
      components.set(truth, (components.get(truth) ?? new Set()).add(owner.id));
    }
    book = after;
  }
  const named = (id: number) => (book.component(id) as KnownComponent).name;
  return [
    ...[...truths].flatMap(([id, set]) => (set.size > 1 ? [`${named(id)} is ${[...set].join(" and ")}`] : [])),
    ...[...components].flatMap(([truth, ids]) => {
      const present = [...ids].filter((id) => book.component(id)?.retired === false);
      return present.length > 1 ? [`${truth} is ${present.length} components`] : [];
    }),
  ];
}

describe("awkward identities", () => {
  it.each(CASES)("$what", ({ looks }) => {
    expect(verdicts(looks)).toEqual([]);
  });

  it("a clone says why it is a component of its own", () => {
    const first = carryOut(new EstateBook([], []), planEstate(new EstateBook([], []), look([a])));
    const plan = planEstate(first, look([{ ...b, machine: a.machine, serial: a.serial }]));
    expect(plan.changes).toMatchObject([
      { what: "new", reason: "it is not a: other hardware addresses, SSH host key, host name, address" },
    ]);
  });
});

const look = (seen: Seen[], observer = { sourceId: 1, label: "sweep", site: "Room" }) => ({
  observer,
  atMs: 1,
  sinceMs: 1,
  observations: seen.map(observation),
});

describe("what a person said", () => {
  const pinned = (book: EstateBook, pins: Readonly<Record<number, readonly string[]>>) =>
    new EstateBook(
      book.components.map((one) => ({ ...one, pinned: new Map((pins[one.id] ?? []).map((key) => [key, 1])) })),
      [],
    );
  const start = () =>
    carryOut(new EstateBook([], []), planEstate(new EstateBook([], []), look([a, { ...b, name: "b" }])));

  it("keeps two apart whatever else they have in common, look after look", () => {
    const book = pinned(start(), { 1: ["mac:m-a"], 2: ["mac:m-b"] });
    const same = look([a, { ...a, truth: "b", at: b.at, mac: ["m-b"] }]);
    const plan = planEstate(book, same);
    expect(plan.seen.map((one) => one.id).sort()).toEqual([1, 2]);
    expect(plan.changes.filter((one) => one.what === "joined" || one.what === "new")).toEqual([]);
    const after = pinned(carryOut(book, plan), { 1: ["mac:m-a"], 2: ["mac:m-b"] });
    expect(planEstate(after, same).changes).toEqual([]);
  });

  it("makes one of two that have nothing in common", () => {
    const book = pinned(start(), { 1: ["name:a", "mac:m-a", "mac:m-b", "name:b"] });
    const one = new EstateBook(
      book.components
        .filter((each) => each.id === 1)
        .map((each) => ({ ...each, keys: [...each.keys, "mac:m-b", "name:b"] })),
      [],
    );
    const plan = planEstate(one, look([a, b]));
    expect(plan.seen.map((each) => each.id)).toEqual([1]);
    expect(plan.changes.filter((each) => each.what === "new")).toEqual([]);
  });
});

describe("weighing", () => {
  it("a name without a domain says nothing across sites; a whole one does", () => {
    const host = (name: string, at: string, site: string) => evidenceOf([`name:${name}`, `addr:${at}`], site);
    expect(weigh(host("web", "10.0.0.1", "N"), host("web", "10.1.0.1", "S")).same).toBe(false);
    expect(weigh(host("web.n.example", "10.0.0.1", "N"), host("web.n.example", "10.1.0.1", "S")).same).toBe(true);
    expect(weigh(host("web", "10.0.0.1", "N"), host("web", "10.1.0.1", "no site")).same).toBe(true);
  });
  it("is the same both ways", () => {
    const one = evidenceOf(["machine:u", "mac:1", "mac:2", "name:x"], "N");
    const other = evidenceOf(["machine:u", "mac:3", "name:y", "addr:10.0.0.1"], "S");
    expect(weigh(one, other).same).toBe(weigh(other, one).same);
  });
  it("passes over hardware addresses that software makes up", () => {
    expect(isOwnHardware("eth0", "52:54:00:12:34:56")).toBe(true);
    for (const [name, address] of [
      ["docker0", "52:54:00:12:34:56"],
      ["eth0", "02:42:ac:11:00:02"],
      ["eth0", "00:00:5e:00:01:0a"],
      ["eth0", "00:00:00:00:00:00"],
      ["eth0", ""],
    ] as const)
      expect(isOwnHardware(name, address)).toBe(false);
  });
});
