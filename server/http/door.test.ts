import type { IncomingMessage } from "node:http";
import { describe, expect, it } from "vitest";
import { isInside, signInAddress, wantedAddress } from "#core/people/entrance";
import { rightsOf } from "#core/people/rights";
import type { Holding } from "../pages/people";
import { rightToAsk } from "../pages/registry";
import { hashOf, makeCode } from "../people/codes";
import { itself } from "../people/principal";
import { IDLE_MS } from "../people/sessions";
import { Door } from "./door";
import { grant, type Parts } from "./entrance";

const ACCOUNT = {
  id: 3,
  name: "Anna",
  signIn: "anna",
  role: "responder" as const,
  remark: "",
  isDemo: false,
  madeAt: 0,
  madeBy: "",
  closedAt: null,
};
const TOKEN = {
  id: 9,
  name: "report",
  scope: { kind: "read" as const },
  madeBy: "",
  madeAt: 0,
  endsAt: 5_000_000,
  revokedAt: null,
  usedAt: null,
  usedFrom: null,
};

function makeDoor(behindProxy = false) {
  const [cookie, token] = [makeCode("session").code, makeCode("token").code];
  const state = { nowMs: 1_000_000, looks: 0, seen: [] as unknown[] };
  const known = new Map<string, Holding>([
    [
      hashOf(cookie).toString("hex"),
      { kind: "session", sessionId: 4, beganAt: 1_000_000, seenAt: 1_000_000, account: ACCOUNT },
    ],
    [hashOf(token).toString("hex"), { kind: "token", token: TOKEN }],
  ]);
  const door = new Door(
    {
      look: async (hash) => (state.looks++, known.get(Buffer.from(hash).toString("hex")) ?? null),
      tellSeen: (...used) => state.seen.push(used),
      machineNow: () => state.nowMs,
    },
    7070,
    false,
    behindProxy,
  );
  const from = (headers: Record<string, string>) =>
    door.identify({ headers, socket: { remoteAddress: "::ffff:192.0.2.7" } } as unknown as IncomingMessage);
  return { door, state, known, cookie, token, from };
}

describe("the door", () => {
  it("knows a browser by its cookie and a program by its token, and neither by the other", async () => {
    const { from, cookie, token, state, door } = makeDoor();
    expect(await from({ cookie: `x=1; holotaxis-7070=${cookie}` })).toMatchObject({
      name: "Anna",
      via: "browser",
      rights: rightsOf("responder"),
      address: "192.0.2.7",
      sessionId: 4,
    });
    expect(await from({ authorization: `Bearer ${token}` })).toMatchObject({
      name: "token report",
      via: "token",
      rights: ["read"],
    });
    expect(await from({ authorization: `Bearer ${cookie}` })).toBeUndefined();
    expect(await from({ cookie: `holotaxis-7070=${token}` })).toBeUndefined();
    expect(await from({ cookie: `holotaxis-7071=${cookie}` })).toBeUndefined();
    expect(await from({})).toBeUndefined();
    door.close();
    expect(state.seen).toEqual([[[[4, 1_000_000]], [[9, 1_000_000, "192.0.2.7"]]]]);
  });
  it("does not look again at each request, and forgets at once when something changed", async () => {
    const { from, cookie, state, known, door } = makeDoor();
    const ask = () => from({ cookie: `holotaxis-7070=${cookie}` });
    for (let index = 0; index < 5; index++) expect(await ask()).toBeDefined();
    expect(state.looks).toBe(1);
    known.clear();
    door.forget();
    expect(await ask()).toBeUndefined();
  });
  it("does not believe what was looked up while something changed", async () => {
    const { from, cookie, known, door } = makeDoor();
    const ask = () => from({ cookie: `holotaxis-7070=${cookie}` });
    const slow = ask();
    known.clear();
    door.forget();
    await slow;
    expect(await ask()).toBeUndefined();
  });
  it("lets idle sessions and tokens past their end in no more", async () => {
    const { from, cookie, token, state } = makeDoor();
    const ask = () => from({ cookie: `holotaxis-7070=${cookie}` });
    for (let index = 0; index < 4; index++) {
      expect(await ask()).toBeDefined();
      state.nowMs += IDLE_MS - 1;
    }
    state.nowMs += 2;
    expect(await ask()).toBeUndefined();
    expect(await from({ authorization: `Bearer ${token}` })).toBeUndefined();
  });
  it("believes what a proxy says of addresses only where there is one, and of several the last", async () => {
    const headers = { "x-forwarded-for": "203.0.113.1, 203.0.113.9" };
    for (const [behind, address] of [
      [false, "192.0.2.7"],
      [true, "203.0.113.9"],
    ] as const) {
      const { from, cookie } = makeDoor(behind);
      expect((await from({ ...headers, cookie: `holotaxis-7070=${cookie}` }))?.address).toBe(address);
    }
  });
});

describe("what a request may use", () => {
  const asked: string[] = [];
  const parts = {
    asker: () => async (name: string) => (asked.push(name), name),
    engine: { command: async () => 1, tell: async (...what: unknown[]) => void asked.push(what.join(" ")) },
    runSql: async () => ({}),
    door: { addressOf: () => "192.0.2.7" },
    isDemo: false,
  } as unknown as Parts;
  const request = (url: string, method = "GET") => ({ url, method, headers: {} }) as IncomingMessage;
  const thrown = (work: Promise<unknown>) =>
    work.then(
      () => undefined,
      (error: Response) => [error.status, error.headers.get("location")],
    );
  it("is nothing but the way in for whoever is not signed in", async () => {
    const nobody = grant(parts, null, request("/incidents/4.data?last=PT1H"));
    const to = [302, `/sign-in?to=${encodeURIComponent("/incidents/4?last=PT1H")}`];
    expect(await thrown(nobody.ask("watch", {} as never))).toEqual(to);
    expect(await thrown(nobody.command("incident.take", { id: 1 }))).toEqual(to);
    expect(await thrown(nobody.tell("itself"))).toEqual(to);
    expect(await thrown(nobody.runSql("SELECT 1", 1))).toEqual(to);
    expect(await thrown(grant(parts, null, request("/x", "POST")).command("incident.take", {}))).toEqual([
      302,
      "/sign-in",
    ]);
    expect(asked).toEqual([]);
  });
  it("is what one's rights give; a page beyond them is refused and recorded", async () => {
    const reader = grant(parts, itself("Anna", "test", ["read"]), request("/"));
    expect(await reader.ask("watch", {} as never)).toBe("watch");
    expect(await thrown(reader.ask("audit", {} as never))).toEqual([403, null]);
    expect(asked.at(-1)).toContain("refused Anna test");
    const boss = grant(parts, itself("Boss", "test", rightsOf("administrator")), request("/"));
    expect(await boss.ask("audit", {} as never)).toBe("audit");
    expect(await thrown(boss.ask("holder", {} as never))).toEqual([403, null]);
    const sender = grant(parts, itself("token x", "test", []), request("/"));
    expect(await thrown(sender.ask("watch", {} as never))).toEqual([403, null]);
  });
  it("takes more than reading where a page shows people or the record", () => {
    expect(["audit", "auditCheck", "people", "tokens"].map((name) => rightToAsk(name as "audit"))).toEqual(
      Array(4).fill("administer"),
    );
    expect(rightToAsk("holder")).toBe("door");
  });
});

describe("the way back after signing in", () => {
  it("leads inside only", () => {
    for (const wrong of ["//evil.example", "/\\evil.example", "https://evil.example", "evil", "/a\nb", "/\t/evil", ""])
      expect(isInside(wrong), wrong).toBe(false);
    expect(wantedAddress("//evil.example")).toBe("/");
    expect(wantedAddress("/map?last=P1D")).toBe("/map?last=P1D");
    expect(signInAddress("/_root.data")).toBe("/sign-in");
    expect(signInAddress("/estate.data?page=2")).toBe(`/sign-in?to=${encodeURIComponent("/estate?page=2")}`);
  });
});
