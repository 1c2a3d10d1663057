import { beforeEach, describe, expect, it } from "vitest";
import { RIGHTS } from "#core/people/rights";
import { useStore } from "../../tests/store";
import { itself, type Principal } from "../people/principal";
import { auditIn } from "../store/audit";
import type { Db } from "../store/database";
import { attemptById, attempts, blindAttemptOf, updateAttempt } from "../store/drills";
import type { CommandPorts } from "./ports";
import { execute } from "./registry";

let db: Db;
let ports: CommandPorts;
let now = 1_000_000;
let running: string | undefined;
let paces: number[];
/** Roots of the only drill; what somebody names is its place among them. */
let roots: string[];
useStore((made) => (db = made));
const ANNA: Principal = { ...itself("Anna", "test", RIGHTS), address: "192.0.2.7" };
const BEN: Principal = { ...ANNA, name: "Ben" };
beforeEach(() => {
  db.exec("DROP TRIGGER IF EXISTS audit_kept; DELETE FROM audit; DELETE FROM drill_attempt");
  now = 1_000_000;
  running = undefined;
  paces = [];
  roots = ["db-1"];
  ports = {
    db,
    now: () => now,
    emit: () => undefined,
    drills: {
      act: async (id: string, action: string) => {
        running = action === "start" ? id : undefined;
        return undefined;
      },
      list: async () => [
        {
          id: "dark",
          title: "The store goes dark",
          story: "",
          host: "",
          cause: "",
          repair: "",
          group: "",
          activeSinceMs: running ? now : undefined,
        },
      ],
      setPace: async (pace: number) => {
        paces.push(pace);
      },
      name: async (_id: string, text: string) => ({ root: roots.indexOf(text), roots: roots.length }),
    },
  } as unknown as CommandPorts;
});
const begin = async (who = ANNA) => Number(await execute(ports, who, "drill.blind", { group: "" }));

describe("the demonstration's clock", () => {
  it("is set to a pace within bounds by somebody who may, on record", async () => {
    await execute(ports, ANNA, "drill.pace", { pace: 20 });
    expect(paces).toEqual([20]);
    expect(JSON.stringify(auditIn(db, { fromMs: 0, toMs: now }, 10, 0))).toContain("20 × real time");
    await expect(execute(ports, ANNA, "drill.pace", { pace: 0.5 })).rejects.toThrow("slower than real time");
    await expect(execute(ports, ANNA, "drill.pace", { pace: 600 })).rejects.toThrow("60 is as fast as it goes");
    const reader: Principal = { ...itself("Rea", "test", ["read"]), address: "192.0.2.8" };
    await expect(execute(ports, reader, "drill.pace", { pace: 5 })).rejects.toThrow();
    expect(paces).toEqual([20]);
  });
});

describe("a blind drill", () => {
  it("is started without saying which, and on record without it too", async () => {
    const id = await begin();
    expect(running).toBe("dark");
    expect(attemptById(db, id)).toMatchObject({
      byWhom: "Anna",
      isBlind: true,
      revealedAt: null,
      startedAt: 1_000_000,
    });
    expect(JSON.stringify(auditIn(db, { fromMs: 0, toMs: now }, 10, 0))).not.toMatch(/dark/);
  });
  it("is named at a try, with the time and the pages on the way", async () => {
    const id = await begin();
    now += 60_000;
    const trail = [
      { atMs: 1_010_000, path: "/" },
      { atMs: 1_030_000, path: "/incidents/4" },
      { atMs: 1_040_000, path: "/estate/17" },
    ];
    expect(await execute(ports, ANNA, "drill.name", { attempt: id, cause: "web-1", trail })).toEqual({
      isRight: false,
      left: 1,
    });
    expect(attemptById(db, id)).toMatchObject({ tries: 1, namedAt: null, noticedAt: 1_030_000 });
    expect(await execute(ports, ANNA, "drill.name", { attempt: id, cause: "db-1", trail })).toEqual({
      isRight: true,
      left: 0,
    });
    expect(attemptById(db, id)).toMatchObject({
      tries: 2,
      namedAt: 1_060_000,
      revealedAt: 1_060_000,
      noticedAt: 1_030_000,
      trail,
    });
    expect(blindAttemptOf(db, "Anna")).toBeUndefined();
  });
  it("with two causes is named when both are", async () => {
    roots = ["db-1", "line-2"];
    const id = await begin();
    expect(await execute(ports, ANNA, "drill.name", { attempt: id, cause: "line-2", trail: [] })).toEqual({
      isRight: true,
      left: 1,
    });
    expect(attemptById(db, id)?.namedAt).toBeNull();
    await execute(ports, ANNA, "drill.name", { attempt: id, cause: "line-2", trail: [] });
    expect(attemptById(db, id)?.namedAt).toBeNull();
    await execute(ports, ANNA, "drill.name", { attempt: id, cause: "db-1", trail: [] });
    expect(attemptById(db, id)?.namedAt).toBe(now);
  });
  it("may be one where nothing is wrong, and saying so is right then only", async () => {
    const id = await begin();
    expect(await execute(ports, ANNA, "drill.nothing", { attempt: id, trail: [] })).toMatchObject({ isRight: false });
    roots = [];
    expect(await execute(ports, ANNA, "drill.nothing", { attempt: id, trail: [] })).toMatchObject({ isRight: true });
  });
  it("can be given up, and is no one else's", async () => {
    const id = await begin();
    await expect(execute(ports, BEN, "drill.reveal", { attempt: id, trail: [] })).rejects.toThrow(
      "not a drill of yours",
    );
    await expect(execute(ports, ANNA, "drill.name", { attempt: id, cause: " ", trail: [] })).rejects.toThrow(
      "Name a host",
    );
    await execute(ports, ANNA, "drill.reveal", { attempt: id, trail: [] });
    expect(attemptById(db, id)).toMatchObject({ revealedAt: now, namedAt: null });
    await expect(execute(ports, ANNA, "drill.name", { attempt: id, cause: "db-1", trail: [] })).rejects.toThrow(
      "known already",
    );
  });
  it("is about what was asked for, and rather one that was not done lately", async () => {
    await expect(execute(ports, ANNA, "drill.blind", { group: "network" })).rejects.toThrow("no drill about “network”");
    const dark = (await ports.drills?.list())?.[0];
    const list = [dark, { ...dark, id: "slow", title: "It is slow" }].map((one) => ({
      ...one,
      activeSinceMs: undefined,
    }));
    ports = { ...ports, drills: { ...ports.drills, list: async () => list } } as unknown as CommandPorts;
    const [first, second] = [await begin(), await begin(BEN)].map((id) => attemptById(db, id)?.drill);
    expect(["dark", "slow"]).toContain(first);
    expect(["dark", "slow"]).toContain(second);
    await execute(ports, ANNA, "drill.reveal", { attempt: blindAttemptOf(db, "Anna")?.id ?? 0, trail: [] });
    expect(attemptById(db, await begin())?.drill).not.toBe(first);
  });
  it("stands until its cause is known, though the drill is over", async () => {
    const id = await begin();
    const attempt = attemptById(db, id);
    if (!attempt) throw new Error("no attempt");
    updateAttempt(db, { ...attempt, endedAt: now, endedHow: "repaired" });
    running = undefined;
    expect(blindAttemptOf(db, "Anna")?.id).toBe(id);
    await expect(begin()).rejects.toThrow("at a blind drill already");
    await execute(ports, ANNA, "drill.name", { attempt: id, cause: "db-1", trail: [] });
    expect(blindAttemptOf(db, "Anna")).toBeUndefined();
  });
  it("stands alone: one at a time, and none beside a running drill", async () => {
    await begin();
    await expect(begin()).rejects.toThrow("at a blind drill already");
    await expect(begin(BEN)).rejects.toThrow("A drill is running");
  });
});

it("a drill in the open keeps a record too", async () => {
  await execute(ports, ANNA, "drill.act", { id: "dark", action: "start" });
  expect(attempts(db)).toMatchObject([
    { drill: "dark", title: "The store goes dark", byWhom: "Anna", isBlind: false, revealedAt: now },
  ]);
  await execute(ports, ANNA, "drill.act", { id: "dark", action: "stop" });
  expect(attempts(db)).toHaveLength(1);
});

it("there are none on a real estate", async () => {
  ports = { ...ports, drills: undefined };
  await expect(begin()).rejects.toThrow("this installation watches a real one");
});
