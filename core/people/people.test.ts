import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { passwordProblem } from "./passwords";
import { INSTALLATION, RIGHTS, rightsOf, ROLES, whyNot, whyNotMe } from "./rights";
import { afterFailure, SLOW_DOWN, waitMs, type Tries } from "./slow-down";

describe("roles", () => {
  it("each may what the one before may, and something more", () => {
    for (let index = 1; index < ROLES.length; index++) {
      const before = rightsOf(ROLES[index - 1]?.id as "reader");
      const now = rightsOf(ROLES[index]?.id as "reader");
      expect(before.every((right) => now.includes(right))).toBe(true);
      expect(now.length).toBeGreaterThan(before.length);
    }
    expect(rightsOf("administrator")).toEqual(RIGHTS);
  });
  it("says who may not do what, and which role may", () => {
    const ben = { name: "Ben", rights: rightsOf("reader") };
    expect(whyNot(ben, "read", INSTALLATION)).toBeUndefined();
    expect(whyNot(ben, "repair", { type: "component", id: 4 })).toBe("Ben does not have the right to run runbooks.");
    expect(whyNotMe(rightsOf("reader"), "repair")).toBe(
      "You do not have the right to run runbooks; that takes the role Responder.",
    );
    expect(whyNotMe(rightsOf("operator"), "repair")).toBeUndefined();
  });
});

describe("passwords", () => {
  const common = new Set(["password", "dragon", "letmein", "correcthorsebatterystaple", "qwertyuiopasdfgh"]);
  const problem = (text: string, context: string[] = ["Anna Lind", "anna", "holotaxis"]) =>
    passwordProblem(text, (word) => common.has(word), context);
  it("are long, and nothing else is asked of them", () => {
    expect(problem("short of fifteen".slice(0, 14))).toContain("at least 15 characters");
    expect(problem("ropes wet salt grey")).toBeUndefined();
    expect(problem("ärger über möwen am kai")).toBeUndefined();
    expect(problem("🙂".repeat(15).concat("quay and tide"))).toBeUndefined();
    expect(problem("x y".repeat(100))).toContain("at most 256");
  });
  it("are not among those that are guessed first, however lengthened", () => {
    for (const text of [
      "correcthorsebatterystaple",
      "CorrectHorseBatteryStaple1!",
      "passwordpassword",
      "dragondragondra",
      "letmein123456789",
      "123456789012345",
      "aaaaaaaaaaaaaaaaaa",
      "abcdefghijklmnopq",
      "98765432109876543",
    ])
      expect(problem(text), text).toContain("first that are guessed");
  });
  it("are not the person's or the product's name", () => {
    expect(problem("holotaxis-anna-7")).toContain("mostly a name");
    expect(problem("holotaxis at the grey quay")).toBeUndefined();
  });
  it("are judged in the form in which they are kept", () => {
    fc.assert(
      fc.property(fc.string({ unit: "grapheme", minLength: 1, maxLength: 40 }), (text) => {
        expect(problem(text.normalize("NFD"))).toEqual(problem(text.normalize("NFC")));
      }),
    );
  });
});

describe("tries are slowed down", () => {
  const how = SLOW_DOWN.pair;
  it("a few are free, then each wait is twice the one before, and never longer than the longest", () => {
    let tries: Tries | undefined;
    const waits: number[] = [];
    for (let index = 0; index < 20; index++) {
      tries = afterFailure(tries, how, 1_000_000);
      waits.push(waitMs(tries, how, 1_000_000));
    }
    expect(waits.slice(0, 8)).toEqual([0, 0, 0, 0, 2000, 4000, 8000, 16_000]);
    expect(Math.max(...waits)).toBe(how.longestMs);
  });
  it("lets no more than a hundred tries an hour at one account from one address, however fast they come", () => {
    let tries: Tries | undefined;
    let now = 0;
    let count = 0;
    while (now < 3_600_000) {
      const wait = waitMs(tries, how, now);
      if (wait > 0) now += wait;
      else {
        count++;
        tries = afterFailure(tries, how, now);
      }
    }
    expect(count).toBeLessThan(100);
  });
  it("forgets after an hour of quiet", () => {
    const tries = { failed: 50, lastMs: 0 };
    expect(waitMs(tries, how, how.forgetMs + 1)).toBe(0);
    expect(afterFailure(tries, how, how.forgetMs + 1)).toEqual({ failed: 1, lastMs: how.forgetMs + 1 });
  });
});
