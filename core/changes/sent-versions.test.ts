import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { SentVersions } from "./sent-versions";

const AT = 1_000_000;

describe("releases that senders say of themselves", () => {
  it("are told once, from when they were first heard, when the one before is silent", () => {
    const versions = new SentVersions();
    expect(versions.heard("gate", "1", AT)).toBeUndefined();
    expect(versions.heard("gate", "2", AT + 10_000)).toBeUndefined();
    expect(versions.heard("gate", "2", AT + 30_000)).toBeUndefined();
    expect(versions.heard("gate", "2", AT + 45_000)).toEqual({ before: "1", sinceMs: AT + 10_000 });
    expect(versions.heard("gate", "2", AT + 60_000)).toBeUndefined();
    expect(versions.heard("gate", "1", AT + 200_000)).toEqual({ before: "2", sinceMs: AT + 200_000 });
  });
  it("are not told while both speak, nor of another sender", () => {
    const versions = new SentVersions();
    versions.heard("gate", "1", AT);
    for (let at = AT; at < AT + 300_000; at += 10_000) {
      expect(versions.heard("gate", "2", at)).toBeUndefined();
      expect(versions.heard("gate", "1", at + 5000)).toBeUndefined();
      expect(versions.heard("yard", "2", at)).toBeUndefined();
    }
  });
  it("never go from a release to itself, and each change begins where the one before ended", () => {
    const heard = fc.array(fc.tuple(fc.constantFrom("1", "2", "3"), fc.integer({ min: 0, max: 90_000 })), {
      maxLength: 60,
    });
    fc.assert(
      fc.property(heard, (given) => {
        const versions = new SentVersions();
        let [at, present] = [AT, given[0]?.[0]];
        for (const [version, later] of given) {
          at += later;
          const told = versions.heard("gate", version, at);
          if (!told) continue;
          expect(told.before).toBe(present);
          expect(version).not.toBe(told.before);
          expect(told.sinceMs).toBeLessThanOrEqual(at);
          present = version;
        }
      }),
    );
  });
});
