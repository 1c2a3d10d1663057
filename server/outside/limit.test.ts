import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { paced } from "./limit";

vi.mock("node:timers/promises", () => ({
  setTimeout: (ms: number, _value: unknown, { signal }: { signal: AbortSignal }) =>
    new Promise((resolve, reject) => {
      const end = () => reject(new Error("aborted"));
      setTimeout(() => {
        signal.removeEventListener("abort", end);
        resolve(undefined);
      }, ms);
      signal.addEventListener("abort", end);
    }),
}));
beforeEach(() => void vi.useFakeTimers({ toFake: ["setTimeout", "performance"] }));
afterEach(() => void vi.useRealTimers());

async function* numbers() {
  for (let number = 0; ; number++) yield number;
}

describe("a pace", () => {
  it("hands on so many a second, evenly", async () => {
    const came: number[] = [];
    const stopping = new AbortController();
    const work = (async () => {
      for await (const one of paced(numbers(), 10, stopping.signal)) came.push(one);
    })();
    await vi.advanceTimersByTimeAsync(1_000);
    expect(came.length).toBeGreaterThanOrEqual(10);
    expect(came.length).toBeLessThanOrEqual(11);
    stopping.abort();
    await work;
    expect(came.length).toBeLessThanOrEqual(11);
  });

  it("does not make up for a pause with a burst", async () => {
    const stopping = new AbortController();
    const items = paced(numbers(), 10, stopping.signal);
    await items.next();
    await vi.advanceTimersByTimeAsync(60_000);
    let came = 0;
    const work = (async () => {
      for await (const one of items) came += one > 0 ? 1 : 0;
    })();
    await vi.advanceTimersByTimeAsync(1_000);
    expect(came).toBeLessThanOrEqual(12);
    stopping.abort();
    await work;
  });
});
