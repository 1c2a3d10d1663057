import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { observeThing } from "./observe";
import { CompiledMapping, parseMapping, type MappedList } from "./mapping";
import { readInstant } from "./instant";
import { readThing } from "./thing";

const small = (list: object = {}, more: object = {}) =>
  JSON.stringify({
    name: "Small",
    account: { path: "/who", id: "id", name: "name" },
    lists: [{ name: "nodes", path: "/nodes", kind: "host.instance", key: "id", label: "name", ...list }],
    ...more,
  });
const problemsOf = (text: string) => {
  const read = parseMapping(text);
  return read.ok ? [] : read.problems;
};

describe("a mapping", () => {
  it.each(readdirSync("platforms"))("that ships is one: %s", (file) => {
    expect(problemsOf(readFileSync(`platforms/${file}`, "utf8"))).toEqual([]);
  });
  it.each([
    ["no JSON", "{", /^This is no JSON/],
    ["nothing mapped", small({}, { lists: [] }), /^lists: A mapping maps at least one list\.$/],
    ["an expression that is none", small({ key: "a.(" }), /^lists › nodes › key: “a\.\(” is no expression/],
    [
      "an unknown kind",
      small({ kind: "host.toaster" }),
      /^lists › nodes › kind: There is no kind “host\.toaster”\. There are host\.linux/,
    ],
    ["a path elsewhere", small({ path: "https://evil.example/" }), /^lists › nodes › path: A path begins with a slash/],
    [
      "a relation to a list that is not there",
      small({ relations: [{ type: "stored-on", list: "disks", to: "d" }] }),
      /there is no list “disks”/,
    ],
    [
      "regions that are not mapped",
      small({ perRegion: true }),
      /it is asked for each region, but no regions are mapped/,
    ],
    ["a misspelt field", small({ kye: "id" }), /^lists › nodes: Unrecognized key: "kye"/],
    [
      "figures of a list that is not there",
      small({}, { metrics: [{ list: "x", path: "/m", key: "k", metric: "m", value: "v", names: {} }] }),
      /^metrics › x: there is no list of this name\.$/,
    ],
  ])("with %s is refused by a sentence that says where", (_what, text, problem) => {
    expect(problemsOf(text).join("\n")).toMatch(problem);
  });
});

const ACCOUNT = { platform: "Small", id: "a/1", name: "Account" };

async function thing(list: object, item: unknown, region = "") {
  const read = parseMapping(small(list));
  if (!read.ok) throw new Error(read.problems.join(" "));
  return readThing(new CompiledMapping(read.mapping), read.mapping.lists[0] as MappedList, item, region);
}

describe("one item of a list", () => {
  it("is read whatever stands in it", async () => {
    const read = await thing(
      {
        state: "s",
        addresses: "ips",
        hardwareAddresses: "mac",
        since: "t",
        facts: { size: "size", none: "none" },
        tags: "tags",
        figures: { "volume.used": { value: "full", unit: "%", times: 100 } },
      },
      {
        id: 7,
        name: "a\u0000b",
        s: "UP",
        ips: ["10.0.0.1", "nonsense", "::ffff:10.0.0.2", 5],
        mac: "02-AA-00-00-00-01",
        t: "2026-03-17 10:00:00",
        size: { gb: 4 },
        tags: { owner: "x,y:z", empty: "" },
        full: "0.5",
      },
    );
    expect(read).toMatchObject({
      key: "7",
      name: "a b",
      state: "UP",
      hardwareAddresses: ["02:aa:00:00:00:01"],
      sinceMs: Date.parse("2026-03-17T10:00:00Z"),
      facts: { size: '{"gb":4}' },
      labels: [
        { name: "tag", value: "owner=x y z" },
        { name: "tag", value: "empty" },
      ],
      figures: [{ metric: "volume.used", unit: "%", value: 50 }],
    });
    expect(read.addresses[0]).toBe("10.0.0.1");
    expect(read.addresses).toHaveLength(2);
  });
  it("without what it is known by is left out with a sentence", async () => {
    await expect(thing({}, { name: "x" })).rejects.toThrow("An item of nodes has no id, so it cannot be known again.");
    await expect(thing({}, { id: "k".repeat(400) })).rejects.toThrow("a key of over 300 characters");
  });
  it("is known by its own id within account, region and list, whatever signs those hold", async () => {
    const one = observeThing(ACCOUNT, await thing({}, { id: "x/y" }, "r/1"), () => true);
    const other = observeThing(ACCOUNT, await thing({}, { id: "y" }, "r/1/nodes/x"), () => true);
    expect(one.keys[0]?.value).toBe("native:small/a%2F1/r%2F1/nodes/x/y");
    expect(other.keys[0]?.value).not.toBe(one.keys[0]?.value);
  });
});

it.each([
  [1_773_741_600, "2026-03-17T10:00:00.000Z"],
  ["1773741600", "2026-03-17T10:00:00.000Z"],
  [1_773_741_600_000, "2026-03-17T10:00:00.000Z"],
  [1_773_741_600_000_000, "2026-03-17T10:00:00.000Z"],
  [1_773_741_600_000_000_000, "2026-03-17T10:00:00.000Z"],
  ["2026-03-17T10:00:00Z", "2026-03-17T10:00:00.000Z"],
  ["2026-03-17T10:00:00", "2026-03-17T10:00:00.000Z"],
  ["2026-03-17T12:00:00+02:00", "2026-03-17T10:00:00.000Z"],
  ["2026-03-17 12:00:00+02:00", "2026-03-17T10:00:00.000Z"],
  ["2026-03-17", "2026-03-17T00:00:00.000Z"],
])("an instant written as %s", (written, instant) => {
  expect(new Date(readInstant(written) ?? 0).toISOString()).toBe(instant);
});
it.each([0, -5, "soon", "", null, {}, 12, 9e20])("what is no instant: %s", (written) =>
  expect(readInstant(written)).toBeUndefined(),
);
