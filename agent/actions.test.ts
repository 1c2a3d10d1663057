import { chmodSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Actor, carryOut, readActions, type Action } from "./actions";

let folder: string;
beforeAll(() => void (folder = mkdtempSync(join(tmpdir(), "holotaxis-actions-"))));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

function file(content: unknown, mode = 0o644): string {
  const path = join(folder, "actions.json");
  writeFileSync(path, typeof content === "string" ? content : JSON.stringify(content));
  chmodSync(path, mode);
  return path;
}

describe("the list of a host's owner", () => {
  it("names programs by their whole path, with a time-out", () => {
    const actions = readActions(file({ "restart-web": { argv: ["/bin/echo", "a b"], timeoutSeconds: 5 } }));
    expect([...actions]).toEqual([["restart-web", { argv: ["/bin/echo", "a b"], timeoutSeconds: 5 }]]);
    expect(readActions(file({ go: { argv: ["/bin/true"] } })).get("go")?.timeoutSeconds).toBe(60);
  });
  it("is taken only where nobody else may write it", () => {
    expect(() => readActions(file({}, 0o666))).toThrow(/may be written by others than its owner.*chmod go-w/);
    expect(() => readActions(file({}, 0o620))).toThrow(/chmod go-w/);
    expect(readActions(file({}, 0o600)).size).toBe(0);
  });
  it.each([
    ["{", /is not JSON/],
    ["[]", /an object with an action a name/],
    [{ "Restart Web": { argv: ["/bin/true"] } }, /a name has small letters/],
    [{ go: { argv: "/bin/true" } }, /argv is a list of words/],
    [{ go: { argv: [] } }, /argv is a list of words/],
    [{ go: null }, /argv is a list of words/],
    [{ go: { argv: ["true"] } }, /whole path/],
    [{ go: { argv: ["/bin/true"], timeoutSeconds: 0 } }, /timeoutSeconds/],
    [Object.fromEntries(Array.from({ length: 51 }, (_, at) => [`a${at}`, { argv: ["/bin/true"] }])), /more than 50/],
  ])("%j is refused with a sentence", (content, words) => expect(() => readActions(file(content))).toThrow(words));
});

describe("an action", () => {
  it("is carried out as it is written, without a shell", async () => {
    expect(await carryOut({ argv: ["/bin/echo", "$HOME; id", "`x`"], timeoutSeconds: 5 })).toEqual({
      exitCode: 0,
      output: "$HOME; id `x`\n",
    });
    expect(await carryOut({ argv: ["/bin/false"], timeoutSeconds: 5 })).toEqual({ exitCode: 1, output: "" });
  });
  it("says when it could not be started, keeps so much of what is printed, and is ended in time with all it started", async () => {
    expect((await carryOut({ argv: ["/nowhere/at-all"], timeoutSeconds: 5 })).failure).toMatch(/could not be started/);
    const much = await carryOut({ argv: ["/usr/bin/head", "-c", "1000000", "/dev/zero"], timeoutSeconds: 20 });
    expect(much.output.length).toBe(65_536);
    const began = performance.now();
    const late = await carryOut({ argv: ["/bin/sh", "-c", "sleep 60 & sleep 60"], timeoutSeconds: 1 });
    expect(late).toMatchObject({ exitCode: null, failure: "It did not end within 1 s, and was ended." });
    expect(performance.now() - began).toBeLessThan(30_000);
  });
});

describe("an agent that may act", () => {
  const make = (answers: (Response | Error)[], actions: Record<string, Action>) => {
    const bodies: { actions: string[]; done: { id: string; exitCode: number | null; failure?: string }[] }[] = [];
    let nowMs = 0;
    const actor = new Actor({
      to: "http://there",
      token: "t",
      host: { hostName: "winch", hostId: "1" },
      actions: new Map(Object.entries(actions)),
      now: () => nowMs,
      post: (async (_url: string, { body }: { body: string }) => {
        bodies.push(JSON.parse(body) as (typeof bodies)[number]);
        const next = answers.shift() ?? Response.json({ do: [] });
        if (next instanceof Error) throw next;
        return next;
      }) as unknown as typeof fetch,
      say: () => undefined,
    });
    return { actor, bodies, wait: (ms: number) => void (nowMs += ms) };
  };
  const asks = (...list: [string, string][]) => Response.json({ do: list.map(([id, action]) => ({ id, action })) });

  it("does what it is asked for and allowed, once, and says how it ended", async () => {
    const { actor, bodies } = make([asks(["1", "go"], ["2", "other"], ["1", "go"])], {
      go: { argv: ["/bin/sh", "-c", "exit 3"], timeoutSeconds: 5 },
    });
    await actor.look();
    expect(bodies[0]).toMatchObject({ actions: ["go"], done: [] });
    expect(bodies[1]?.done).toEqual([
      { id: "1", exitCode: 3, output: "" },
      { id: "2", exitCode: null, output: "", failure: "The owner of this host does not allow “other”." },
    ]);
  });
  it("tells again what it did where that was lost, without doing it again", async () => {
    const { actor, bodies, wait } = make([asks(["1", "go"]), new Error("cut"), asks(["1", "go"])], {
      go: { argv: ["/bin/true"], timeoutSeconds: 5 },
    });
    await actor.look();
    wait(6_000);
    await actor.look();
    expect(bodies.map((one) => one.done.length)).toEqual([0, 1, 1]);
    expect(bodies[2]?.done[0]).toMatchObject({ id: "1", exitCode: 0 });
  });
  it("waits longer from try to try where it is refused, and bears any answer", async () => {
    const { actor, bodies, wait } = make(
      [
        new Response("no", { status: 403 }),
        new Response("no", { status: 403 }),
        new Response("nonsense"),
        Response.json({ do: [1, { id: 2 }] }),
      ],
      {},
    );
    await actor.look();
    await actor.look();
    expect(bodies).toHaveLength(1);
    wait(5_001);
    await actor.look();
    wait(5_001);
    await actor.look();
    expect(bodies).toHaveLength(2);
    wait(10_000);
    await actor.look();
    await actor.look();
    expect(bodies).toHaveLength(4);
  });
});
