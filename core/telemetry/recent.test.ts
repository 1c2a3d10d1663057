import { expect, it } from "vitest";
import { Recent } from "./recent";

it("keeps at least the last few, at most twice as many, and forgets what is deleted", () => {
  const recent = new Recent<number>(3);
  for (let index = 0; index < 100; index++) recent.set(`k${index}`, index);
  expect([97, 98, 99].map((index) => recent.get(`k${index}`))).toEqual([97, 98, 99]);
  expect(
    Array.from({ length: 100 }, (_, index) => recent.get(`k${index}`)).filter((value) => value !== undefined).length,
  ).toBeLessThanOrEqual(6);
  recent.delete("k99");
  expect(recent.get("k99")).toBeUndefined();
});

it("counts weights where they are given", () => {
  const recent = new Recent<number>(100);
  for (let index = 0; index < 50; index++) recent.set(`k${index}`, index, 10);
  const left = Array.from({ length: 50 }, (_, index) => recent.get(`k${index}`)).filter((value) => value !== undefined);
  expect(left.length).toBeGreaterThanOrEqual(10);
  expect(left.length).toBeLessThanOrEqual(20);
});
