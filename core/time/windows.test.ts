import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  dayAndTime,
  parseDurationMs,
  parseInstant,
  parseWindow,
  spokenDuration,
  toIsoDuration,
  type WindowResult,
} from "./windows";

const NOW = Date.parse("2026-03-17T10:00:00Z");
const windowOf = (query: string): WindowResult => parseWindow(new URLSearchParams(query), NOW);

describe("durations", () => {
  it.each([
    ["PT1H", 3_600_000],
    ["P1DT2H3M4S", 93_784_000],
    ["P2W", 1_209_600_000],
    ["PT0.5S", 500],
  ])("reads %s", (text, ms) => expect(parseDurationMs(text)).toBe(ms));

  it.each(["", "P", "PT", "1H", "P1M", "P1Y", "PT-1H", "PT0S", "soon"])("refuses “%s”", (text) =>
    expect(parseDurationMs(text)).toBeUndefined(),
  );

  it("writes what it reads", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 40 * 86_400 }),
        (seconds) => parseDurationMs(toIsoDuration(seconds * 1000)) === seconds * 1000,
      ),
    );
  });

  it("speaks the two largest units", () => {
    expect(spokenDuration(42_000)).toBe("42 s");
    expect(spokenDuration(164_000)).toBe("2 min 44 s");
    expect(spokenDuration(2 * 3_600_000 + 5 * 60_000)).toBe("2 h 5 min");
    expect(spokenDuration(50 * 3_600_000)).toBe("2 d 2 h");
  });
});

describe("instants", () => {
  it("takes an instant without an offset as UTC", () => expect(parseInstant("2026-03-17T10:00")).toBe(NOW));
  it("honours an offset", () => expect(parseInstant("2026-03-17T12:00:00+02:00")).toBe(NOW));
  it.each(["yesterday", "2026-13-01", "17.03.2026", "2026-03-17 10:00"])("refuses “%s”", (text) =>
    expect(parseInstant(text)).toBeUndefined(),
  );
  it("leaves the day out when it is today", () => {
    expect(dayAndTime(NOW, NOW)).toBe("10:00");
    expect(dayAndTime(NOW - 86_400_000, NOW)).toBe("Mon 16 Mar 10:00");
  });
});

describe("the window of a page", () => {
  it("is the last hour and live without anything", () =>
    expect(windowOf("")).toEqual({ ok: true, window: { fromMs: NOW - 3_600_000, toMs: NOW, live: true } }));
  it("follows the present with last", () =>
    expect(windowOf("last=P1D").window).toEqual({ fromMs: NOW - 86_400_000, toMs: NOW, live: true }));
  it("stands still with from and to", () => {
    expect(windowOf("from=2026-03-16T08:00:00Z&to=2026-03-16T09:00:00Z").window).toEqual({
      fromMs: Date.parse("2026-03-16T08:00:00Z"),
      toMs: Date.parse("2026-03-16T09:00:00Z"),
      live: false,
    });
  });
  it.each([
    ["from=2026-03-16T09:00:00Z&to=2026-03-16T08:00:00Z", /ends before it starts/],
    ["from=then&to=now", /cannot be read/],
    ["last=1%20hour", /not a length of time/],
    ["last=P9999D", /at most 366 days/],
    ["from=2020-01-01&to=2026-01-01", /at most 366 days/],
  ])("answers %s with a sentence and the last hour", (query, sentence) => {
    const result = windowOf(query);
    expect(result.ok).toBe(false);
    expect(result.ok ? "" : result.problem).toMatch(sentence);
    expect(result.window.toMs - result.window.fromMs).toBe(3_600_000);
  });
});
