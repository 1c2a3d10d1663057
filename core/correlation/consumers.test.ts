import { expect, it } from "vitest";
import { grownMost } from "./consumers";

const one = (node: string, before: number, now: number) => ({ node, before, now });

it("names who takes most of what came on top, not who takes most", () => {
  expect(grownMost([one("store", 300, 305), one("job", 2, 95), one("agent", 1, 2)], 20)).toEqual({
    node: "job",
    share: 93 / 99,
  });
});

it("names nobody where the load grew for all alike, or by too little, or where nothing runs", () => {
  expect(grownMost([one("a", 10, 40), one("b", 10, 42), one("c", 10, 39)], 20)).toBeUndefined();
  expect(grownMost([one("a", 10, 22)], 20)).toBeUndefined();
  expect(grownMost([one("a", 50, 10)], 20)).toBeUndefined();
  expect(grownMost([], 20)).toBeUndefined();
});
