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
  it("begin with what took the place, not with what spoke in between; what was not kept is told again", () => {
    const versions = new SentVersions();
    versions.heard("gate", "1", AT);
    versions.heard("gate", "2", AT + 1000);
    versions.heard("gate", "1", AT + 3_600_000);
    versions.heard("gate", "2", AT + 3_610_000);
    const told = { before: "1", sinceMs: AT + 3_610_000 };
    expect(versions.heard("gate", "2", AT + 3_660_000)).toEqual(told);
    versions.abandon();
    expect(versions.heard("gate", "2", AT + 3_661_000)).toEqual(told);
    versions.settle();
    versions.abandon();
    expect(versions.heard("gate", "2", AT + 3_662_000)).toBeUndefined();
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
