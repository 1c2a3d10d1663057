import { beforeEach, describe, expect, it } from "vitest";
import { RIGHTS } from "#core/people/rights";
import { SLOW_DOWN } from "#core/people/slow-down";
import { useStore } from "../../tests/store";
import type { CommandPorts } from "../commands/ports";
import { execute } from "../commands/registry";
import { holderOf, peoplePage, signInPage } from "../pages/people";
import { auditIn } from "../store/audit";
import type { Db } from "../store/database";
import { accountBySignIn, insertAccount, listAccounts, openSessions, sessionsOf } from "../store/people";
import { hashOf } from "./codes";
import { People } from "./people";
import { itself, type Principal } from "./principal";
import { IDLE_MS, LONGEST_MS } from "./sessions";
import { Throttle } from "./sign-in";

let db: Db;
useStore((made) => (db = made));
const FROM = { address: "192.0.2.7", browser: "Test/1" };
const PASSWORD = "wet rope and grey salt";
let machineMs: number;
let changes: number;
let people: People;
const make = (isDemo = false) =>
  new People({
    db,
    now: () => 5_000,
    emit: () => changes++,
    isDemo,
    machineNow: () => machineMs,
  });
beforeEach(() => {
  db.exec("DROP TRIGGER IF EXISTS audit_kept; DELETE FROM audit; DELETE FROM account; DELETE FROM invitation");
  // Sessions end by the machine's clock, which commands read themselves.
  machineMs = Date.now();
  changes = 0;
  people = make();
});
const record = () =>
  auditIn(db, { fromMs: 0, toMs: 10_000 }, 100, 0).map(
    (row) => `${row.who}: ${row.summary}${row.reason ? ` (${row.reason})` : ""}`,
  );
const holder = (code: string) => holderOf(db, { hash: hashOf(code), machineMs });
const boss = () => itself("Boss", "test", RIGHTS);
const ports = () => ({ db, now: () => 5_000, people, emit: () => undefined }) as unknown as CommandPorts;

async function join(name: string, role: "reader" | "administrator" = "administrator"): Promise<Principal> {
  const code = people.invite({ role, accountId: null, name }, "Boss");
  const { code: cookie } = await people.join(code, { name, signIn: name.toLowerCase(), password: PASSWORD }, FROM);
  const held = holder(cookie);
  if (held?.kind !== "session") throw new Error("nobody came in");
  return { ...itself(name, "test", RIGHTS), accountId: held.account.id, sessionId: held.sessionId };
}

describe("the first start", () => {
  it("prints a link that makes the first administrator, once", async () => {
    const link = people.firstLink() as string;
    const entered = await people.join(link, { name: "Anna Lind", signIn: "anna", password: PASSWORD }, FROM);
    expect(holder(entered.code)).toMatchObject({ account: { name: "Anna Lind", role: "administrator" } });
    expect(people.firstLink()).toBeUndefined();
    await expect(people.join(link, { name: "Ben", signIn: "ben", password: PASSWORD }, FROM)).rejects.toThrow(
      "used already",
    );
    expect(record()).toEqual(["Anna Lind: Signed in", "Anna Lind: Made an account as administrator"]);
  });
  it("makes the link of the start before worthless", async () => {
    const first = people.firstLink() as string;
    const second = people.firstLink() as string;
    const given = { name: "Anna", signIn: "anna", password: PASSWORD };
    await expect(people.join(first, given, FROM)).rejects.toThrow("used already or is too old");
    await people.join(second, given, FROM);
  });
  it("takes one account of two that use the link at once", async () => {
    const link = people.firstLink() as string;
    const both = await Promise.allSettled(
      ["anna", "ben"].map((signIn) => people.join(link, { name: signIn, signIn, password: PASSWORD }, FROM)),
    );
    expect(both.map((one) => one.status).sort()).toEqual(["fulfilled", "rejected"]);
    expect(listAccounts(db)).toHaveLength(1);
  });
  it("says field by field what is wrong, and the link stays good", async () => {
    const link = people.firstLink() as string;
    await expect(people.join(link, { name: "A", signIn: "a b", password: PASSWORD }, FROM)).rejects.toMatchObject({
      fields: {
        name: "Give a name of at least two letters.",
        signIn: expect.stringContaining("letters, digits") as string,
      },
    });
    await expect(people.join(link, { name: "Anna", signIn: "anna", password: "short" }, FROM)).rejects.toThrow(
      "at least 15 characters",
    );
    await people.join(link, { name: "Anna", signIn: "anna", password: PASSWORD }, FROM);
  });
});

describe("signing in", () => {
  const signIn = (password: string, name = "anna", address = FROM.address) =>
    people.signIn("password", { signIn: name, password }, { ...FROM, address });
  it("takes name and password, in any case of the name and any form of the letters", async () => {
    await join("Anna");
    const { code } = await signIn(PASSWORD, "ANNA");
    expect(holder(code)).toMatchObject({ kind: "session", account: { name: "Anna" } });
    expect(record()[0]).toBe("Anna: Signed in");
  });
  it("answers the same to a wrong password and to an unknown name, and records both", async () => {
    await join("Anna");
    const wrong = await signIn("not the right one").catch((error: Error) => error.message);
    const unknown = await signIn("not the right one", "nobody").catch((error: Error) => error.message);
    expect(wrong).toBe(unknown);
    expect(record().slice(0, 2)).toEqual([
      `nobody: Tried to sign in as nobody (${wrong})`,
      `nobody: Tried to sign in as anna (${wrong})`,
    ]);
  });
  it("slows down whoever guesses, without locking the person out elsewhere", async () => {
    await join("Anna");
    for (let index = 0; index <= SLOW_DOWN.pair.free; index++) await signIn("not the right one").catch(() => undefined);
    await expect(signIn(PASSWORD)).rejects.toThrow("Too many wrong tries. Try again in 2 s.");
    await signIn(PASSWORD, "anna", "192.0.2.99");
    machineMs += 2_000;
    await signIn(PASSWORD);
  });
  it("does not slow down those who come in, however many and often", () => {
    const throttle = new Throttle();
    for (let index = 0; index < 200; index++) {
      expect(throttle.wait("anna", "192.0.2.7", machineMs)).toBe(0);
      throttle.failed("anna", "192.0.2.7", machineMs);
      throttle.succeeded("anna", "192.0.2.7");
    }
    for (let index = 0; index <= SLOW_DOWN.account.free; index++)
      throttle.failed("anna", `192.0.2.${index}`, machineMs);
    expect(throttle.wait("anna", "192.0.2.99", machineMs)).toBeGreaterThan(0);
  });
  it("cannot be hurried by many tries at once", async () => {
    await join("Anna");
    const tries = await Promise.allSettled(Array.from({ length: 40 }, () => signIn("not the right one")));
    const judged = tries.filter((one) => one.status === "rejected" && /belong together/.test(String(one.reason)));
    expect(judged.length).toBeLessThanOrEqual(SLOW_DOWN.pair.free + 1);
  });
  it("is by one click in a demonstration, and only for its made-up people", async () => {
    const made = insertAccount(
      db,
      { name: "Mara", signIn: "demo:mara", role: "responder", isDemo: true, madeBy: "x" },
      0,
    );
    const anna = await join("Anna");
    await expect(people.signIn("demo", { accountId: made }, FROM)).rejects.toThrow("no such way");
    const demo = make(true);
    expect(holder((await demo.signIn("demo", { accountId: made }, FROM)).code)).toMatchObject({
      account: { name: "Mara" },
    });
    await expect(demo.signIn("demo", { accountId: anna.accountId }, FROM)).rejects.toThrow("no such person");
    expect(signInPage(db, { isDemo: true }).demo.map((one) => one.name)).toEqual(["Mara"]);
    expect(signInPage(db, { isDemo: false }).demo).toEqual([]);
    await expect(demo.signIn("password", { signIn: "demo:mara", password: "" }, FROM)).rejects.toThrow(
      "Give your password",
    );
  });
  it("is not for closed accounts", async () => {
    await join("Anna");
    const ben = await join("Ben");
    await execute(ports(), boss(), "account.close", { id: ben.accountId });
    await expect(signIn(PASSWORD, "ben")).rejects.toThrow("This account is closed.");
    await execute(ports(), boss(), "account.reopen", { id: ben.accountId });
    await signIn(PASSWORD, "ben");
  });
});

describe("sessions", () => {
  it("end after idleness and after a long shift, by the machine's clock", async () => {
    const anna = await join("Anna");
    const { code } = await people.signIn("password", { signIn: "anna", password: PASSWORD }, FROM);
    const second = holder(code)?.kind === "session" ? sessionsOf(db, anna.accountId as number) : [];
    expect(second).toHaveLength(2);
    const id = second[0]?.id as number;
    machineMs += IDLE_MS - 1;
    people.seen([[id, machineMs]], []);
    expect(openSessions(db)).toHaveLength(2);
    machineMs += 2;
    people.seen([], []);
    expect(openSessions(db).map((one) => one.id)).toEqual([id]);
    for (let at = 0; at < LONGEST_MS; at += IDLE_MS / 2) {
      machineMs += IDLE_MS / 2;
      people.seen([[id, machineMs]], []);
    }
    expect(openSessions(db)).toEqual([]);
  });
  it("may be ended by their owner, those of others by an administrator only", async () => {
    const anna = await join("Anna");
    const ben = { ...(await join("Ben", "reader")), rights: ["read"] as const };
    const end = (who: Principal, id: number) => execute(ports(), who, "session.end", { id });
    await expect(end(ben, anna.sessionId as number)).rejects.toThrow(
      "does not have the right to decide who may do what",
    );
    await end(ben, ben.sessionId as number);
    await expect(end(ben, ben.sessionId as number)).rejects.toThrow("does not have the right");
    await end(anna, anna.sessionId as number);
    expect(openSessions(db)).toEqual([]);
    expect(changes).toBeGreaterThan(0);
  });
  it("end when their account is closed, and others of one's own when the password changes", async () => {
    const anna = await join("Anna");
    const { code: other } = await people.signIn("password", { signIn: "anna", password: PASSWORD }, FROM);
    await expect(
      execute(ports(), anna, "password.change", { now: "wrong", password: "another long enough one" }),
    ).rejects.toThrow("present password is wrong");
    await execute(ports(), anna, "password.change", { now: PASSWORD, password: "another long enough one" });
    expect(holder(other)).toBeNull();
    expect(openSessions(db).map((one) => one.id)).toEqual([anna.sessionId]);
    expect(JSON.stringify(auditIn(db, { fromMs: 0, toMs: 10_000 }, 100, 0))).not.toContain("long enough");
  });
});

describe("accounts", () => {
  it("always leave one administrator", async () => {
    const anna = await join("Anna");
    const close = () => execute(ports(), boss(), "account.close", { id: anna.accountId });
    await expect(close()).rejects.toThrow("Anna is the only administrator.");
    await expect(execute(ports(), boss(), "account.role", { id: anna.accountId, role: "reader" })).rejects.toThrow(
      "only administrator",
    );
    await join("Ben");
    await execute(ports(), boss(), "account.role", { id: anna.accountId, role: "reader" });
    const [last] = auditIn(db, { fromMs: 0, toMs: 10_000 }, 1, 0);
    expect(last).toMatchObject({ summary: "Made Anna reader", subject: `account:${anna.accountId}` });
    expect(JSON.parse(last?.before ?? "")).toMatchObject({ role: "administrator" });
    expect(JSON.parse(last?.after ?? "")).toMatchObject({ role: "reader" });
  });
  it("get a new password by a link from an administrator, which ends what was open", async () => {
    const anna = await join("Anna");
    const code = await execute(ports(), boss(), "account.reset", { id: anna.accountId });
    await people.join(code, { password: "quite another rope" }, { ...FROM, address: "192.0.2.50" });
    expect(sessionsOf(db, anna.accountId as number)).toHaveLength(1);
    await expect(people.signIn("password", { signIn: "anna", password: PASSWORD }, FROM)).rejects.toThrow();
    await people.signIn("password", { signIn: "anna", password: "quite another rope" }, FROM);
    expect(accountBySignIn(db, "anna")?.name).toBe("Anna");
  });
  it("have names of their own", async () => {
    await join("Anna");
    await expect(join("Anna")).rejects.toThrow("Somebody signs in with this name already.");
    expect(peoplePage(db, { machineMs }).invitations).toHaveLength(1);
  });
});
