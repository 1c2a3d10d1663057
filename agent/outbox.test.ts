import { gunzipSync } from "node:zlib";
import { describe, expect, it } from "vitest";
import { Outbox } from "./outbox";

type Reply = Response | Error | (() => Response | Error);

/** An outbox whose receiver answers as told, on a clock that is moved by hand. */
function setUp(replies: Reply[], most = 5) {
  const sent: unknown[] = [];
  const headers: Headers[] = [];
  const said: string[] = [];
  let nowMs = 0;
  const outbox = new Outbox({
    to: "http://receiver.test",
    token: "open sesame",
    most,
    now: () => nowMs,
    random: () => 1,
    say: (sentence) => said.push(sentence),
    post: async (_url, init) => {
      const next = replies.shift() ?? new Response("{}");
      const reply = typeof next === "function" ? next() : next;
      if (reply instanceof Error) throw reply;
      headers.push(new Headers(init?.headers));
      if (reply.ok) sent.push(JSON.parse(gunzipSync(init?.body as Uint8Array).toString()));
      return reply;
    },
  });
  return { outbox, sent, said, headers, pass: (ms: number) => (nowMs += ms) };
}

describe("reports on their way", () => {
  it("arrive in order, packed, with the token that is asked for", async () => {
    const { outbox, sent, headers } = setUp([]);
    for (const one of [1, 2, 3]) outbox.put(one);
    await outbox.send();
    expect(sent).toEqual([1, 2, 3]);
    expect(headers[0]?.get("authorization")).toBe("Bearer open sesame");
    expect(outbox.length).toBe(0);
  });
  it("wait while nobody takes them, longer from try to try, and say so once", async () => {
    const { outbox, sent, said, pass } = setUp([new TypeError("fetch failed"), new TypeError("fetch failed")]);
    outbox.put(1);
    await outbox.send();
    pass(999);
    await outbox.send();
    expect(said).toHaveLength(1);
    expect(said[0]).toMatch(/^Nobody takes reports at http:\/\/receiver\.test: .*They wait here/);
    pass(1);
    await outbox.send();
    pass(1999);
    await outbox.send();
    expect(sent).toEqual([]);
    pass(1);
    await outbox.send();
    expect(sent).toEqual([1]);
    expect(said.at(-1)).toBe("Reports are taken again at http://receiver.test.");
  });
  it("come again when the receiver says", async () => {
    const { outbox, sent, pass } = setUp([new Response("busy", { status: 429, headers: { "retry-after": "7" } })]);
    outbox.put(1);
    await outbox.send();
    pass(6999);
    await outbox.send();
    expect(sent).toEqual([]);
    pass(1);
    await outbox.send();
    expect(sent).toEqual([1]);
  });
  it("are dropped, the oldest first, when more wait than may", async () => {
    const { outbox, sent, pass } = setUp([new TypeError("fetch failed")], 2);
    outbox.put(1);
    await outbox.send();
    for (const one of [2, 3, 4]) outbox.put(one);
    expect([outbox.length, outbox.dropped]).toEqual([2, 2]);
    pass(5000);
    await outbox.send();
    expect(sent).toEqual([3, 4]);
  });
  it("are not sent again where they will never be taken", async () => {
    const { outbox, sent, said } = setUp([new Response("Its unit changed.", { status: 400 })]);
    outbox.put(1);
    outbox.put(2);
    await outbox.send();
    expect(sent).toEqual([2]);
    expect(outbox.dropped).toBe(1);
    expect(said).toEqual(["http://receiver.test will not take a report (400): Its unit changed."]);
  });
  it("may be refused in part, which is said once and again when it is for another reason", async () => {
    const refusing = (why: string) =>
      new Response(JSON.stringify({ partialSuccess: { rejectedDataPoints: "4", errorMessage: why } }));
    const { outbox, sent, said } = setUp([
      refusing("Its clock is wrong."),
      refusing("Its clock is wrong."),
      new Response("not JSON"),
      refusing("Its clock is wrong."),
    ]);
    for (const one of [1, 2, 3, 4]) {
      outbox.put(one);
      await outbox.send();
    }
    expect(sent).toEqual([1, 2, 3, 4]);
    expect(said).toEqual(Array(2).fill("http://receiver.test refuses a part of the reports: Its clock is wrong."));
  });
  it("go out once, though a look comes while one is under way", async () => {
    let finish: (response: Response) => void = () => undefined;
    const { outbox, sent } = setUp([]);
    const slow = new Outbox({
      to: "http://x",
      most: 5,
      now: () => 0,
      random: () => 1,
      say: () => undefined,
      post: () => new Promise((resolve) => (finish = resolve)),
    });
    slow.put(1);
    const first = slow.send();
    await slow.send();
    finish(new Response("{}"));
    await first;
    expect(slow.length).toBe(0);
    outbox.put(1);
    await Promise.all([outbox.send(), outbox.send()]);
    expect(sent).toEqual([1]);
  });
});
