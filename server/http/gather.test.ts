import { describe, expect, it } from "vitest";
import { gather, type Question, type Reply } from "./gather";

const asker = (width: number, answer: (one: Question) => Reply = ({ asked }) => ({ ok: true, value: asked })) => {
  const tasks: string[][] = [];
  const ask = gather(async (questions) => {
    tasks.push(questions.map(({ name }) => name));
    return questions.map(answer);
  }, width) as unknown as (name: string, asked: unknown) => Promise<unknown>;
  return { ask, tasks };
};

describe("what one request asks", () => {
  it("goes to a thread at once, also what is asked after a wait for what is there already", async () => {
    const { ask, tasks } = asker(1);
    const later = Promise.resolve().then(() => ask("logs", 3));
    expect(await Promise.all([ask("watch", 1), ask("estate", 2), later])).toEqual([1, 2, 3]);
    expect(tasks).toEqual([["watch", "estate", "logs"]]);
    expect(await ask("map", 4)).toBe(4);
    expect(tasks[1]).toEqual(["map"]);
  });

  it("is shared by the threads there are", async () => {
    const { ask, tasks } = asker(2);
    await Promise.all(["watch", "estate", "map"].map((name) => ask(name, 0)));
    expect(tasks).toEqual([["watch", "map"], ["estate"]]);
  });

  it("fails each by itself, and all where the thread fails", async () => {
    const { ask } = asker(1, ({ name }) =>
      name === "map" ? { ok: false, error: new Error("no map") } : { ok: true, value: name },
    );
    const [watch, map] = await Promise.allSettled([ask("watch", 0), ask("map", 0)]);
    expect(watch).toMatchObject({ value: "watch" });
    expect(map).toMatchObject({ reason: { message: "no map" } });
    const broken = gather(() => Promise.reject(new Error("it died")), 1);
    await expect(broken("alarms" as never, {} as never)).rejects.toThrow("it died");
  });
});
