import { FingerprintBook } from "#core/estate/fingerprints";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { z } from "zod";
import { identityKey, type Observation } from "#core/estate/observation";
import { useStore } from "../../tests/store";
import type { LiveEvent } from "../events";
import type { Access } from "../vault/kinds";
import type { Vault } from "../vault/vault";
import { credentialsOfSource, sealedOf } from "../store/credentials";
import type { Found, SourceDriver } from "../sources/driver";
import { changesIn } from "../store/changes";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { insertResource, renameResource } from "../store/resources";
import { listFindings, listSources, listSweeps, sweepById } from "../store/sources";
import { Sweeps } from "./sweeps";

const START = Date.parse("2026-03-17T10:00:00Z");

/** What the made-up driver finds, and what it is given. */
const world = vi.hoisted(() => ({
  discover: undefined as unknown as (signal: AbortSignal) => AsyncIterable<Found>,
  credential: "",
  hasTickets: false,
  findsHosts: false,
}));
vi.mock("../sources/registry", () => {
  const wordOf = (access: readonly Access[]) => access.map((one) => one.fields.community).join(" then ");
  const driver: SourceDriver<{ ranges: string }> = {
    kind: "range",
    get hasTickets() {
      return world.hasTickets;
    },
    get findsHosts() {
      return world.findsHosts;
    },
    label: "Made up",
    about: "",
    settings: z.object({ ranges: z.string() }),
    credential: {
      label: "word",
      help: "Ask for it.",
      kind: "snmp-community",
      field: "community",
      destinations: ({ ranges }) => ranges,
      serves: (settings, before) => settings.ranges === before.ranges,
    },
    uses: ["snmp-community"],
    covers: () => ({ text: "four places", places: 4 }),
    check: (settings, access) =>
      Promise.resolve({ ok: wordOf(access) === "open", lines: [`${settings.ranges} with ${wordOf(access)}`] }),
    discover: (_settings, access, signal) => {
      world.credential = wordOf(access);
      return world.discover(signal);
    },
  };
  return { driverOf: () => driver, sourceDrivers: () => [driver] };
});

/** Seals by writing “sealed” in front. */
const VAULT = {
  seal: ({ community }: { community: string }) => `sealed ${community}`,
  use: (row: { id: number; name: string; kind: string; destinations: string }) => ({
    ...row,
    fields: { community: sealedOf(db, row.id)?.slice(7) },
  }),
  ofSource: (id: number) => credentialsOfSource(db, id).map((row) => VAULT.use(row, "")),
} as unknown as Vault;
const sealedCredential = (store: Db, id: number) =>
  sealedOf(store, listSources(store).find((source) => source.id === id)?.credential_id as number);

let db: Db;
let events: LiveEvent[];
let nowMs = START;
let sweeps: Sweeps;
const estate = vi.fn();
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM finding; DELETE FROM sweep; DELETE FROM resource; DELETE FROM change; DELETE FROM fact; DELETE FROM component_key; DELETE
     FROM component; DELETE FROM source; DELETE FROM credential`,
  );
  events = [];
  nowMs = START;
  world.hasTickets = false;
  world.findsHosts = false;
  estate.mockClear();
  sweeps = new Sweeps({
    db,
    vault: VAULT,
    now: () => nowMs,
    emit: (event) => events.push(event),
    reportProblem: () => undefined,
    tools: () => ({
      book: new FingerprintBook({}),
      hostKeys: { known: () => undefined, met: () => undefined },
      mapping: () => undefined,
      now: () => 0,
    }),
    onSources: () => undefined,
    onEstate: estate,
  });
});

const input = (name = "Room", credential: string | null = "open") =>
  ({
    kind: "range",
    name,
    site: "Room",
    settings: { ranges: "r" },
    credential: credential ?? undefined,
    pollSeconds: 60,
  }) as Parameters<Sweeps["saveSource"]>[1];
const host = (name: string): Observation => ({
  keys: [identityKey("name", name)],
  kind: { is: "host.linux", reason: "it says so", confidence: 1 },
  name,
  address: "127.0.0.1",
  depth: 2,
  readBy: "snmp",
  facts: {},
});
const found = (...names: string[]): Found => ({ what: "observations", observations: names.map(host) });
async function* giving(...list: Found[]): AsyncIterable<Found> {
  for (const one of list) yield await Promise.resolve(one);
}
const names = () => currentComponents(db).map((row) => row.name);

describe("a source", () => {
  it("is kept with its credential sealed, and on record", () => {
    const id = sweeps.saveSource(undefined, input(), "Anna");
    expect(sealedCredential(db, id)).toBe("sealed open");
    expect(JSON.stringify(listSources(db))).not.toContain("open");
    expect(changesIn(db, 0, START + 1, 5)).toMatchObject([{ summary: "Source Room was added", by_whom: "Anna" }]);
  });
  it("needs its credential once, and keeps it when edited without", () => {
    expect(() => sweeps.saveSource(undefined, input("Room", null), "Anna")).toThrow("Give the word. Ask for it.");
    const id = sweeps.saveSource(undefined, input(), "Anna");
    sweeps.saveSource(id, input("Yard", null), "Anna");
    expect(sealedCredential(db, id)).toBe("sealed open");
    expect(listSources(db).map((source) => source.name)).toEqual(["Yard"]);
  });
  it("keeps its credential for the places it was given for: elsewhere it is asked for again", async () => {
    const id = sweeps.saveSource(undefined, input(), "Anna");
    const lured = { ...input("Room", null), settings: { ranges: "a place of mine" } };
    const ask = "Give the word again: the one that is kept was given for other addresses.";
    expect(() => sweeps.saveSource(id, lured, "Mallory")).toThrow(ask);
    await expect(sweeps.check(id, lured)).rejects.toThrow(ask);
    expect(listSources(db)[0]?.settings).toEqual({ ranges: "r" });
    expect(await sweeps.check(id, { ...lured, credential: "shut" })).toEqual({
      ok: false,
      lines: ["a place of mine with shut"],
    });
    sweeps.saveSource(id, { ...lured, credential: "another" }, "Anna");
    expect(sealedCredential(db, id)).toBe("sealed another");
  });
  it("has a name of its own", () => {
    const id = sweeps.saveSource(undefined, input(), "Anna");
    expect(() => sweeps.saveSource(undefined, input(), "Ben")).toThrow("There is a source called “Room” already.");
    expect(() => sweeps.saveSource(id, input(), "Ben")).not.toThrow();
    expect(() => sweeps.saveSource(9999, input("Other"), "Ben")).toThrow("does not exist any more");
  });
  it("is tried with what was typed, or with what is kept where nothing was", async () => {
    const id = sweeps.saveSource(undefined, input(), "Anna");
    expect(await sweeps.check(id, input("Room", null))).toEqual({ ok: true, lines: ["r with open"] });
    expect(await sweeps.check(id, input("Room", "shut"))).toEqual({ ok: false, lines: ["r with shut"] });
  });
});

describe("a sweep", () => {
  const sweep = async (...list: Found[]) => {
    world.discover = () => giving(...list);
    const source = listSources(db)[0]?.id ?? sweeps.saveSource(undefined, input(), "Anna");
    return sweepById(db, await sweeps.start(source, "Anna", true));
  };
  it("takes in what is found, tells what is new, and counts", async () => {
    const row = await sweep(
      found("a", "b"),
      { what: "failure", address: "127.0.0.9", reason: "It answered nonsense." },
      { what: "progress", tried: 4, answering: 3, recognised: 2, failed: 1 },
    );
    expect(world.credential).toBe("open");
    expect(names().sort()).toEqual(["a", "b"]);
    expect(row).toMatchObject({ state: "done", tried: 4, answering: 3, failed: 1, started_by: "Anna", message: null });
    const findings = listFindings(db, row?.id as number, "", 10, 0);
    expect(findings.map((one) => [one.outcome, one.title]).sort()).toEqual([
      ["failed", "127.0.0.9"],
      ["new", "a"],
      ["new", "b"],
    ]);
    expect(estate).toHaveBeenCalled();
    expect(events.at(-1)).toMatchObject({ topic: "estate" });
  });
  it("again changes nothing and tells nothing new", async () => {
    await sweep(found("a"));
    const before = currentComponents(db);
    const row = await sweep(found("a"), { what: "progress", tried: 4, answering: 1, recognised: 1, failed: 0 });
    expect(listFindings(db, row?.id as number, "new", 10, 0)).toEqual([]);
    expect(currentComponents(db).map((one) => one.id)).toEqual(before.map((one) => one.id));
  });
  it("says so where nothing answers", async () => {
    const row = await sweep({ what: "progress", tried: 4, answering: 0, recognised: 0, failed: 0 });
    expect(row?.message).toBe(
      "Nothing answered on 4 addresses. Check the range, and whether this machine can reach it.",
    );
  });
  it("starts by its schedule when its time has come, once, and not while one is under way", async () => {
    world.discover = () => giving(found("a"));
    const id = sweeps.saveSource(undefined, { ...input(), sweeps: { every: "60", quiet: "" } }, "Anna");
    const asked = () => listSweeps(db, 10, Number.MAX_SAFE_INTEGER).map((one) => one.started_by);
    sweeps.startDue();
    expect(asked()).toEqual([]);
    nowMs = START + 61 * 60_000;
    sweeps.startDue();
    sweeps.startDue();
    await vi.waitFor(() => expect(names()).toEqual(["a"]));
    expect(asked()).toEqual(["its schedule"]);
    nowMs += 5 * 60_000;
    sweeps.startDue();
    expect(asked()).toEqual(["its schedule"]);
    sweeps.saveSource(id, { ...input(), sweeps: { every: "", quiet: "" } }, "Anna");
    nowMs += 48 * 3_600_000;
    sweeps.startDue();
    expect(asked()).toEqual(["its schedule"]);
  });
  it("reads tickets as soon as a change names one, and nothing else", async () => {
    world.discover = () => giving(found("a"));
    const asked = () => listSweeps(db, 10, Number.MAX_SAFE_INTEGER).map((one) => one.started_by);
    sweeps.saveSource(undefined, { ...input(), sweeps: { every: "60", quiet: "" } }, "Anna");
    const change = (ticket: string | null) =>
      insertChange(db, { atMs: nowMs, kind: "release", componentId: null, summary: "2.0", by: "x", ticket });
    const later = () => {
      nowMs += 5 * 60_000;
      sweeps.startDue();
    };
    world.hasTickets = true;
    nowMs = START;
    change("CHG-0");
    later();
    expect(asked(), "of before it began").toEqual([]);
    change(null);
    later();
    expect(asked(), "a change without one").toEqual([]);
    change("CHG-1");
    later();
    await vi.waitFor(() => expect(names()).toEqual(["a"]));
    later();
    expect(asked()).toEqual(["a change that names a ticket"]);
    world.hasTickets = false;
    change("CHG-2");
    later();
    expect(asked()).toEqual(["a change that names a ticket"]);
  });
  describe("for a sender on an unknown host", () => {
    const MINUTE = 60_000;
    const sender = (attributes: Record<string, string>) =>
      insertResource(db, JSON.stringify(attributes), { componentId: null, why: "nobody knows it" }, nowMs);
    const asked = () => listSweeps(db, 10, Number.MAX_SAFE_INTEGER).map((one) => one.started_by);
    const after = async (minutes: number) => {
      nowMs += minutes * MINUTE;
      sweeps.startDue();
      await vi.waitFor(() => expect(listSweeps(db, 1, Number.MAX_SAFE_INTEGER)[0]?.state).not.toBe("running"));
    };
    /** A source that was swept by its schedule a moment ago, and what it met then. */
    const swept = async (schedule = { every: "60", quiet: "" }) => {
      world.findsHosts = true;
      world.discover = () => giving(found("a"));
      sweeps.saveSource(undefined, { ...input(), sweeps: schedule }, "Anna");
      sender({ "host.name": "there-before" });
      if (schedule.every === "") return;
      await after(61);
      expect(asked()).toEqual(["its schedule"]);
    };

    it("is brought forward, once, and a twelfth of the way to its next start at the earliest", async () => {
      await swept();
      sender({ "service.name": "on no host" });
      sender({ "host.name": "new-one" });
      world.discover = () => giving(found("b"));
      await after(1);
      await after(3);
      expect(asked()).toEqual(["its schedule"]);
      await after(2);
      expect(asked()).toEqual(["a sender on an unknown host, new-one", "its schedule"]);
      expect(names()).toEqual(["a", "b"]);
      expect(
        currentComponents(db).map((one) => one.missed),
        "counts nothing as missing",
      ).toEqual([0, 0]);
      await after(20);
      expect(asked()).toHaveLength(2);
    });
    it("is not where somebody else says what the host is", async () => {
      await swept();
      const id = sender({ "host.name": "new-one" });
      renameResource(db, id, { componentId: currentComponents(db)[0]?.id as number, why: "its agent" });
      await after(20);
      expect(asked()).toEqual(["its schedule"]);
    });
    it("is neither in quiet hours nor where nothing starts by itself", async () => {
      await swept({ every: "60", quiet: "11:01-12:30" });
      sender({ "host.name": "new-one" });
      await after(30);
      await after(30);
      expect(asked()).toEqual(["its schedule"]);
    });
    it("is not of a source that is swept by hand only", async () => {
      await swept({ every: "", quiet: "" });
      sweeps.startDue();
      sender({ "host.name": "new-one" });
      await after(55);
      expect(asked()).toEqual([]);
    });
  });
  it("does not take a host that refuses to be read for one that is absent", async () => {
    await sweep(found("a"));
    db.prepare("UPDATE component SET address = '127.0.0.7'").run();
    for (let times = 0; times < 3; times++)
      await sweep({ what: "failure", address: "127.0.0.7", reason: "It does not let “operator” in." });
    expect(names()).toEqual(["a"]);
  });
  it("of a source that is taken away leaves what others see, and lets go of the rest", async () => {
    await sweep(found("a", "b"));
    const first = listSources(db)[0]?.id as number;
    const second = sweeps.saveSource(undefined, input("Yard"), "Anna");
    world.discover = () => giving(found("b"));
    await sweeps.start(second, "Anna", true);
    expect(sweeps.removeSource(first, "Ben")).toBe("Room");
    expect(names()).toEqual(["b"]);
    expect(currentComponents(db)[0]?.source_id).toBe(second);
    expect(estate).toHaveBeenLastCalledWith([expect.any(Number)]);
    expect(changesIn(db, 0, START + 1, 5).map((one) => one.summary)).toContain(
      "Source Room was removed; 1 components that only it saw left the estate",
    );
    expect(() => sweeps.removeSource(first, "Ben")).toThrow("does not exist any more");
  });
  it("that breaks off keeps its reason, and the next one can start", async () => {
    world.discover = async function* () {
      yield await Promise.resolve(found("a"));
      throw new Error("the wire is cut");
    };
    const source = sweeps.saveSource(undefined, input(), "Anna");
    const id = await sweeps.start(source, "Anna", true);
    expect(sweepById(db, id)).toMatchObject({ state: "failed", message: "The sweep broke off: the wire is cut" });
    expect((await sweep(found("a")))?.state).toBe("done");
  });
  it("that is stopped keeps what was found until then and says by whom", async () => {
    let sent: () => void = () => undefined;
    const began = new Promise<void>((done) => (sent = done));
    world.discover = async function* (signal) {
      yield found("a");
      yield { what: "progress", tried: 2, answering: 1, recognised: 1, failed: 0 };
      sent();
      await new Promise<void>((done) => signal.addEventListener("abort", () => done()));
    };
    const source = sweeps.saveSource(undefined, input(), "Anna");
    const id = await sweeps.start(source, "Anna");
    await began;
    await expect(sweeps.start(source, "Ben")).rejects.toThrow("A sweep of Room is already running.");
    expect(sweeps.stop(id, "Ben")).toBe(true);
    await vi.waitFor(() => expect(sweepById(db, id)?.state).toBe("stopped"));
    expect(sweepById(db, id)?.message).toBe("Stopped by Ben after 2 addresses; what was found until then is kept.");
    expect(names()).toEqual(["a"]);
    await vi.waitFor(() => expect(sweeps.stop(id, "Ben")).toBe(false));
  });
  it("of a source that is gone is refused", async () => {
    await expect(sweeps.start(9999, "Anna")).rejects.toThrow("That source does not exist any more.");
  });
});
