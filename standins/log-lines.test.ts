import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { EstateModel } from "./model";
import { readScenario, type Scenario } from "./scenario";
import { failureLines, Traces } from "./traces";
import { attributesOf, linesBetween, sendersOf } from "./log-lines";

const AT = Date.parse("2026-03-17T10:00:00Z");
const HOUR = 3_600_000;
const read = readScenario(JSON.parse(readFileSync(new URL("../scenarios/halvane.json", import.meta.url), "utf8")));
if (!read.ok) throw new Error(read.problems.join("\n"));
const scenario: Scenario = read.scenario;
const estate = () => new EstateModel(scenario, AT);

describe("what the estate says", () => {
  it("is the same however time is cut, and every time anew", () => {
    const whole = sendersOf(estate()).map((sender) => linesBetween(scenario, sender, AT - HOUR, AT));
    const cut = sendersOf(estate()).map((sender) =>
      [
        linesBetween(scenario, sender, AT - HOUR, AT - 1_234_567),
        linesBetween(scenario, sender, AT - 1_234_567, AT),
      ].flat(),
    );
    expect(cut).toEqual(whole);
    const times = whole.flat().map((line) => line.atMs);
    expect(times.length).toBeGreaterThan(200);
    expect(Math.min(...times)).toBeGreaterThan(AT - HOUR);
    expect(Math.max(...times)).toBeLessThanOrEqual(AT);
    expect(whole.flat().some((line) => /[{}]/.test(line.text))).toBe(false);
  });

  it("tells of a fault while it is at work, and of a version once it is there", () => {
    const own = estate();
    const parser = sendersOf(own).find((sender) => sender.host.name === "nq-mfx-parse-01" && sender.process);
    if (!parser) throw new Error("no parser");
    const has = (text: string, from: number, to: number) =>
      linesBetween(scenario, parser, from, to).some((line) => line.text.includes(text));
    expect(has("Heap almost full", AT - HOUR, AT)).toBe(false);
    own.startDrill("parser-leak", AT);
    expect(has("Heap almost full", AT + 60_000, AT + 300_000)).toBe(true);
    expect(has("kept for replay", AT - 30 * HOUR, AT - 20 * HOUR)).toBe(false);
    expect(has("kept for replay", AT - 10 * HOUR, AT)).toBe(true);
    expect(attributesOf(parser, AT)).toEqual({
      "host.name": "nq-mfx-parse-01.halvane.example",
      "service.name": "manifest-parser",
      "service.version": "7.0.3",
    });
    own.host("nq-mfx-parse-01")?.restart("manifest-parser", AT + 300_000, false);
    expect(linesBetween(scenario, parser, AT + 400_000, AT + 2 * HOUR)).toEqual([]);
  });
});

describe("traces", () => {
  it("are trees whose children lie in their parents, and fail where a host suffers", () => {
    const own = estate();
    const traces = new Traces(sendersOf(own));
    const spans = traces.between(AT - 600_000, AT);
    expect(spans.length).toBeGreaterThan(100);
    const byId = new Map(spans.map((span) => [span.traceId + span.spanId, span]));
    expect(byId.size).toBe(spans.length);
    for (const span of spans) {
      expect(span.endMs).toBeGreaterThanOrEqual(span.startMs);
      expect(span.traceId).toMatch(/^[0-9a-f]{32}$/);
      if (!span.parentId) continue;
      const parent = byId.get(span.traceId + span.parentId);
      expect(parent).toBeDefined();
      expect(span.startMs).toBeGreaterThanOrEqual(parent?.startMs ?? 0);
    }
    const failed = (list: typeof spans) => list.filter((span) => span.failed).length / list.length;
    const calm = failed(spans);
    own.startDrill("release-host-dark", AT);
    const hurt = traces.between(AT + 60_000, AT + 660_000);
    expect(failed(hurt)).toBeGreaterThan(calm);
    expect(failureLines(hurt).every((line) => line.text.includes("failed") && line.traceId.length === 32)).toBe(true);
  });
});

it("names a fault or a list of words that is not there", () => {
  const { voices, ...rest } = JSON.parse(
    readFileSync(new URL("../scenarios/halvane.json", import.meta.url), "utf8"),
  ) as { voices: Record<string, unknown> };
  expect(Object.keys(voices).length).toBeGreaterThan(5);
  const outputs = { gatefront: { lines: [{ text: "a {nothing}", perHour: 1, during: "no-such-fault" }] }, nobody: {} };
  const wrong = { ...rest, outputs };
  const result = readScenario(wrong);
  expect(result.ok ? [] : result.problems.join("\n")).toMatch(/no process “nobody”[\s\S]*|no fault “no-such-fault”/);
  expect(result.ok ? "" : result.problems.join("\n")).toMatch(/no list of words “nothing”/);
});
