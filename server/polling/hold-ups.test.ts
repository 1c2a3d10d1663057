import { expect, test } from "vitest";
import { HoldUps } from "./hold-ups";

test("a hold-up counts for whatever was under way when it ended", () => {
  let at = 0;
  const holdUps = new HoldUps(() => at);
  holdUps.note(1000, 1400);
  holdUps.note(2000, 2020);
  at = 3000;
  expect(holdUps.longestSince(500)).toBe(400);
  expect(holdUps.longestSince(1300)).toBe(400);
  // Too short to count, and the one before was over.
  expect(holdUps.longestSince(1500)).toBe(0);
});

test("what is not answered yet counts already; what failed ended too", async () => {
  let at = 0;
  const holdUps = new HoldUps(() => at);
  let fail: (error: Error) => void = () => undefined;
  const asked = holdUps.around(() => new Promise((_, refuse) => (fail = refuse)));
  at = 300;
  expect(holdUps.longestSince(290)).toBe(300);
  fail(new Error("gone"));
  await asked;
  at = 400;
  expect(holdUps.longestSince(290)).toBe(300);
  expect(holdUps.longestSince(301)).toBe(0);
});

test("the process's own timer tells when it was blocked", async () => {
  const holdUps = new HoldUps();
  holdUps.start();
  const started = performance.now();
  const until = started + 400;
  while (performance.now() < until);
  await expect.poll(() => holdUps.longestSince(started)).toBeGreaterThan(250);
  holdUps.stop();
});
