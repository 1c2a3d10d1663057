import { readFileSync } from "node:fs";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { FocusLine } from "#core/spend/focus";
import { Millrace, KEY } from "../../tests/fixtures/millrace/server";
import { makePlatformPoller } from "../../tests/platform-poller";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { factsAt } from "../store/facts";
import { labelsAt } from "../store/labels";
import { platformFailures, platformOf } from "../store/platforms";
import { currentRelations } from "../store/relations";
import { lastSample, seriesOfMetric } from "../store/signals";
import { insertSource } from "../store/sources";
import type { Access } from "../vault/kinds";
import type { PlatformPoller } from "./platforms";

const MAPPING = readFileSync(new URL("../../tests/fixtures/millrace/millrace.json", import.meta.url), "utf8");
const START = Date.parse("2026-03-17T10:00:00Z");

let db: Db;
let nowMs = START;
let cloud: Millrace;
let poller: PlatformPoller;
let source: number;
let retired: number[];
let told: FocusLine[][];
let key: string;
useStore((made) => (db = made));

const access = (): Access[] => [
  { id: 1, name: "reader", kind: "bearer", fields: { token: key }, destinations: "127.0.0.1" },
];

beforeEach(async () => {
  emptyEstate(db);
  nowMs = START;
  key = KEY;
  retired = [];
  told = [];
  cloud = new Millrace();
  const address = await cloud.listen();
  const settings = { address, mapping: "Millrace", authority: "" };
  source = insertSource(
    db,
    { kind: "platform", name: "Millrace", site: "Delta", settings, pollSeconds: 15 },
    undefined,
    nowMs,
  );
  poller = makePoller();
});
afterEach(() => {
  poller.stop();
  cloud.close();
});

function makePoller(): PlatformPoller {
  return makePlatformPoller(db, () => nowMs, {
    access,
    mapping: MAPPING,
    onCosts: (lines) => told.push([...lines]),
    onEstate: (gone) => retired.push(...gone),
  });
}

async function look(): Promise<void> {
  nowMs += 15_000;
  await poller.look(source);
}

const present = (kind: string) =>
  currentComponents(db)
    .filter((one) => one.kind === kind)
    .map((one) => one.name)
    .sort();
const named = (name: string) => currentComponents(db).find((one) => one.name === name);

describe("a platform that only a mapping describes", () => {
  it("is read with all that its documents tell", async () => {
    for (let number = 1; number <= 23; number++) cloud.add(number);
    await look();
    expect(present("host.instance")).toHaveLength(23);
    expect(present("storage.volume")).toHaveLength(23);
    const node = named("dredge-7");
    expect(node?.address).toBe("10.9.0.8");
    const facts = Object.fromEntries(factsAt(db, node?.id ?? 0, nowMs).map((one) => [one.name, one.value]));
    expect(facts).toMatchObject({
      "platform size": "c2",
      "platform memory": "4G",
      "platform state": "on",
      "platform created": "2026-03-17T10:00Z",
    });
    expect(labelsAt(db, node?.id ?? 0, nowMs).map((one) => `${one.name} ${one.value}`)).toEqual(
      expect.arrayContaining(["owner survey", "environment live"]),
    );
    const sheet = named("dredge-7-sheet");
    expect(
      currentRelations(db).some(
        (one) => one.type === "stored-on" && one.from_id === node?.id && one.to_id === sheet?.id,
      ),
    ).toBe(true);
    expect(platformOf(db, source)).toMatchObject({ account: "p-17", things: 47, problem: null });
  });

  it("measures from the first look on, and what it starts is measured in the look that finds it", async () => {
    await look();
    cloud.add(1);
    await look();
    const series = seriesOfMetric(db, named("dredge-1")?.id ?? 0, "guest.cpu.used");
    expect(series?.unit).toBe("%");
    const writer = (poller as unknown as { context: { sampleWriter: SampleWriter } }).context.sampleWriter;
    writer.write("everything").settle();
    expect(lastSample(db, series?.id ?? 0, nowMs, 60_000)?.value).toBe(30);
  });

  it("loses at once what is ended, whether it is listed as gone or not listed any more", async () => {
    for (let number = 1; number <= 12; number++) cloud.add(number);
    await look();
    (cloud.nodes[2] as { power: string }).power = "gone";
    cloud.nodes.splice(5, 1);
    await look();
    expect(present("host.instance")).not.toContain("dredge-3");
    expect(present("host.instance")).not.toContain("dredge-6");
    expect(present("host.instance")).toHaveLength(10);
    expect(present("storage.volume")).toHaveLength(10);
    expect(retired).toHaveLength(4);
  });

  it("loses nothing when it is silent, breaks off, refuses or answers nonsense", async () => {
    for (let number = 1; number <= 25; number++) cloud.add(number);
    await look();
    for (const trouble of [
      ["silent", "silent", "silent", "silent"],
      [403],
      ["broken"],
      // The account and two pages of sheets are read, then it breaks off.
      ...[[500, 500, 500, 500] as const].map((four) => four),
    ] as (number | "broken" | "silent")[][]) {
      cloud.trouble = trouble;
      await look();
      expect(present("host.instance")).toHaveLength(25);
      expect(platformOf(db, source)?.problem).not.toBeNull();
      cloud.trouble = [];
      await look();
      expect(platformOf(db, source)?.problem).toBeNull();
    }
    expect(retired).toEqual([]);
  });

  it("that fails in the middle of its pages keeps what was on the pages after, and says which list failed since when", async () => {
    for (let number = 1; number <= 25; number++) cloud.add(number);
    await look();
    cloud.nodes.splice(0, 1);
    let pages = 0;
    cloud.between = () => {
      if (++pages === 1) cloud.trouble = [403];
    };
    await look();
    const since = nowMs;
    expect(platformFailures(db)).toMatchObject([{ place: "nodes", since }]);
    expect(platformFailures(db)[0]?.reason).toContain("The credential may not read this (403)");
    expect(present("host.instance")).toHaveLength(25);
    cloud.between = () => undefined;
    await look();
    expect(platformFailures(db)).toEqual([]);
    expect(present("host.instance")).toHaveLength(24);
  });

  it("waits where it is asked too often, without being told for how long", async () => {
    cloud.add(1);
    cloud.trouble = [429];
    await look();
    expect(platformOf(db, source)?.problem).toBeNull();
    expect(present("host.instance")).toEqual(["dredge-1"]);
  });

  it("is not taken for another account's", async () => {
    cloud.add(1);
    await look();
    cloud.project = "p-99";
    cloud.nodes = [];
    cloud.add(2);
    await look();
    expect(platformOf(db, source)?.problem).toContain(
      "The credential is of account p-99, but this source has read account p-17 so far.",
    );
    expect(present("host.instance")).toEqual(["dredge-1"]);
    expect(present("platform.account")).toEqual(["Dredging"]);
  });

  it("says that a key is not known", async () => {
    key = "wrong";
    poller.stop();
    poller = makePoller();
    await look();
    expect(platformOf(db, source)?.problem).toContain("It does not know the credential (401)");
    expect(present("platform.account")).toEqual([]);
  });

  it("does not send its key to a place it is not for", async () => {
    poller.stop();
    poller = makePoller();
    const before = cloud.asked;
    const elsewhere = { ...(access()[0] as Access), destinations: "10.0.0.0/8" };
    (poller as unknown as { context: { vault: object } }).context.vault = { ofSource: () => [elsewhere] };
    await look();
    expect(platformOf(db, source)?.problem).toBe("reader is not for 127.0.0.1. Add it to its destinations first.");
    expect(cloud.asked).toBe(before);
  });

  it("leaves nothing behind that a fresh list would not have, whatever came in between", async () => {
    const step = fc.oneof(
      {
        weight: 3,
        arbitrary: fc.record({ what: fc.constant("add" as const), number: fc.integer({ min: 1, max: 30 }) }),
      },
      {
        weight: 3,
        arbitrary: fc.record({ what: fc.constant("drop" as const), number: fc.integer({ min: 1, max: 30 }) }),
      },
      {
        weight: 2,
        arbitrary: fc.record({ what: fc.constant("end" as const), number: fc.integer({ min: 1, max: 30 }) }),
      },
      {
        weight: 1,
        arbitrary: fc.record({ what: fc.constant("off" as const), number: fc.integer({ min: 1, max: 30 }) }),
      },
      { weight: 1, arbitrary: fc.record({ what: fc.constant("trouble" as const), number: fc.constantFrom(403, 404) }) },
      { weight: 1, arbitrary: fc.record({ what: fc.constant("restart" as const), number: fc.constant(0) }) },
    );
    await fc.assert(
      fc.asyncProperty(fc.array(fc.array(step, { maxLength: 5 }), { maxLength: 5 }), async (rounds) => {
        cloud.nodes = [];
        cloud.trouble = [];
        await look();
        for (const round of rounds) {
          for (const { what, number } of round) {
            const at = cloud.nodes.findIndex((one) => one.number === number);
            if (what === "add" && at < 0) cloud.add(number);
            else if (what === "drop" && at >= 0) cloud.nodes.splice(at, 1);
            else if (what === "end" && at >= 0) (cloud.nodes[at] as { power: string }).power = "gone";
            else if (what === "off" && at >= 0) (cloud.nodes[at] as { power: string }).power = "off";
            else if (what === "trouble") cloud.trouble.push(number);
            else if (what === "restart") {
              poller.stop();
              poller = makePoller();
            }
          }
          await look();
        }
        cloud.trouble = [];
        await look();
        const there = cloud.nodes.filter((one) => one.power !== "gone");
        expect(present("host.instance")).toEqual(there.map((one) => one.called).sort());
        expect(present("storage.volume")).toEqual(there.map((one) => `${one.called}-sheet`).sort());
        const ids = new Set(currentComponents(db).map((one) => one.id));
        for (const one of currentRelations(db))
          expect(ids.has(one.from_id) && ids.has(one.to_id), `${one.type} ${one.from_id} ${one.to_id}`).toBe(true);
      }),
      { numRuns: 25 },
    );
  }, 120_000);
});

describe("what a platform charges", () => {
  const entry = (on: string, cents: number | string) => ({
    node: "nd-0001",
    called: "dredge-1",
    on,
    hours: 24,
    cents,
    money: "EUR",
  });
  const sums = () => told.map((lines) => lines.reduce((sum, one) => sum + one.amounts[0], 0));

  it("is asked for month by month, at first of those before too, and then once an hour", async () => {
    cloud.add(1);
    cloud.ledger = [entry("2026-01-05", 100), entry("2026-02-05", 200), entry("2026-03-05", 312)];
    await look();
    expect(cloud.monthsAsked.filter((one, index, all) => all.indexOf(one) === index)).toEqual([
      "2025-12",
      "2026-01",
      "2026-02",
      "2026-03",
    ]);
    expect(sums()).toEqual([6.12]);
    await look();
    expect(told).toHaveLength(1);
    cloud.monthsAsked = [];
    cloud.ledger.push(entry("2026-03-06", 88));
    nowMs += 3_600_000;
    await look();
    expect([...new Set(cloud.monthsAsked)]).toEqual(["2026-02", "2026-03"]);
    expect(sums()).toEqual([6.12, 6]);
  });

  it("is not taken where a line is wrong: the reason stands until it is right", async () => {
    cloud.add(1);
    cloud.ledger = [entry("2026-03-05", 312), entry("2026-03-06", "much")];
    await look();
    await look();
    expect(told).toEqual([]);
    expect(platformFailures(db)[0]).toMatchObject({ place: "costs", since: nowMs - 15_000 });
    expect(present("host.instance")).toEqual(["dredge-1"]);
    cloud.ledger.pop();
    nowMs += 3_600_000;
    await look();
    expect(sums()).toEqual([3.12]);
    expect(platformFailures(db)).toEqual([]);
  });
});
