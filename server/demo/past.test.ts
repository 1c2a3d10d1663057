import { expect, it } from "vitest";
import { sweepInFull } from "./past";

it("sweeps again where the machine was held up, three times at the most", async () => {
  const sweepsOf = async (...tookMs: number[]) => {
    let [atMs, sweeps] = [0, 0];
    await sweepInFull(
      async () => {
        atMs += tookMs[sweeps++] ?? 0;
      },
      () => atMs,
    );
    return sweeps;
  };
  expect(await sweepsOf(6_000)).toBe(1);
  expect(await sweepsOf(31_000, 6_000)).toBe(2);
  expect(await sweepsOf(31_000, 31_000, 31_000, 31_000)).toBe(3);
  await expect(sweepInFull(() => Promise.reject(new Error("The store is full.")))).rejects.toThrow(
    "The store is full.",
  );
});
