import { describe, expect, it } from "vitest";
import { maskedWords, patternText, PatternTree } from "./patterns";

const tree = () => {
  let id = 0;
  return new PatternTree(() => ++id);
};

describe("patterns of lines", () => {
  it("have gaps for numbers and identifiers", () => {
    expect(maskedWords("slot 4711 of 127.20.1.16:8080 taken in 3.5ms by 7f3a9c21d4e5 (0x1F)").join(" ")).toBe(
      "slot <*> of <*> taken in <*>ms by <*> (<*>)",
    );
    expect(maskedWords("  cafe face  deadline ")).toEqual(["cafe", "face", "deadline"]);
  });

  it("join lines that differ in a word or two, and no others", () => {
    const own = tree();
    const first = own.learn("manifest of vessel Aldane parsed in 12 ms");
    expect(first.change).toBe("new");
    const second = own.learn("manifest of vessel Brae parsed in 9 ms");
    expect([second.pattern.id, second.change]).toEqual([first.pattern.id, "wider"]);
    expect(patternText(second.pattern)).toBe("manifest of vessel <*> parsed in <*> ms");
    expect(own.learn("manifest of vessel Corrie parsed in 9 ms").change).toBe("none");
    expect(own.learn("connection to relaymq lost after three tries today").pattern.id).not.toBe(first.pattern.id);
    expect(own.learn("").change).toBe("new");
  });

  it("are the same after they were put away and taken up again", () => {
    const own = tree();
    const { pattern } = own.learn("slot 1 taken by truck A");
    own.learn("slot 2 taken by truck B");
    const again = tree();
    again.restore(pattern.id, patternText(pattern));
    expect(again.learn("slot 3 taken by truck C")).toMatchObject({ change: "none", pattern: { id: pattern.id } });
  });

  it("stay few however many different words come", () => {
    const own = tree();
    for (let index = 0; index < 5000; index++)
      own.learn(`user${String.fromCharCode(97 + (index % 26))}${"x".repeat(index % 97)} signed in`);
    expect(own.size).toBeLessThan(300);
  });
});
