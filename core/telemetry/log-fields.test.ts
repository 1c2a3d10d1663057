import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MINUTE_MS } from "../time/windows";
import { FieldCounts, fieldReader, MOST_SHARES, OTHER_VALUES } from "./log-fields";

const AT = Date.parse("2026-03-17T10:00:00Z");
const read = (field: string, body: string, attributes: unknown = null) =>
  fieldReader(field)({ body, attributes: attributes === null ? null : JSON.stringify(attributes) });

describe("a field of log records", () => {
  it("is an attribute by its name", () => {
    expect(read("http.response.status_code", "x", { "http.response.status_code": 503 })).toBe("503");
    expect(read("client.address", "x", { "client.address": "198.51.100.7" })).toBe("198.51.100.7");
    expect(read("client", "x", { "client.address": "198.51.100.7", nested: { client: "y" } })).toBeUndefined();
    expect(read("a", "x", { a: { b: 1 } })).toBeUndefined();
    expect(fieldReader("a")({ body: "x", attributes: '{"a": broken' })).toBeUndefined();
  });
  it("is what stands in a line in the place of it", () => {
    expect(read("Connection from {value} accepted", "Connection from 198.51.100.7 accepted")).toBe("198.51.100.7");
    expect(read("taken by {value}", "Slot 1 of gate 260 taken by Tarnway today")).toBe("Tarnway");
    expect(read("taken by {value}", "taken by Tarnway")).toBe("Tarnway");
    expect(read("{value} was denied", "access of p.holm was denied")).toBe("p.holm");
    expect(read("from {value} accepted", "Connection from 198.51.100.7 refused")).toBeUndefined();
    expect(read("by {value}", "done by ")).toBeUndefined();
    expect(read("by {value}", `by ${"x".repeat(500)}`)).toBeUndefined();
  });
});

describe("values of a window", () => {
  it("are told apart and shared out; what was followed once falls to none", () => {
    const counts = new FieldCounts(5);
    for (let at = 0; at < 30; at++) counts.add(1, at % 3 === 0 ? "500" : "200", AT + at * 1000);
    counts.add(1, "404", AT + MINUTE_MS);
    expect(counts.read(AT + MINUTE_MS).get(1)).toEqual({
      records: 30,
      distinct: 2,
      shares: new Map([
        ["200", 66.67],
        ["500", 33.33],
      ]),
    });
    expect(counts.read(AT + 2 * MINUTE_MS).get(1)?.distinct).toBe(3);
    for (let at = 0; at < 20; at++) counts.add(1, "200", AT + 8 * MINUTE_MS);
    expect(
      counts
        .read(AT + 9 * MINUTE_MS)
        .get(1)
        ?.shares.get("500"),
    ).toBe(0);
    expect(counts.read(AT + 60 * MINUTE_MS).get(1)).toEqual({ records: 0, distinct: 0, shares: new Map() });
    expect(counts.read(AT + 3 * 24 * 60 * MINUTE_MS).size).toBe(0);
  });
  it("of few records are no share, and of many values the most frequent are followed", () => {
    const counts = new FieldCounts(5);
    for (let at = 0; at < 19; at++) counts.add(1, "a", AT);
    expect(counts.read(AT + MINUTE_MS).get(1)?.shares.size).toBe(0);
    for (let at = 0; at < 100; at++) for (let times = 0; times <= at; times++) counts.add(2, `v${at}`, AT);
    const shares = counts.read(AT + MINUTE_MS).get(2)?.shares;
    expect(shares?.size).toBe(MOST_SHARES + 1);
    expect(shares?.has("v99")).toBe(true);
    expect(shares?.get(OTHER_VALUES)).toBeGreaterThan(5);
    expect([...(shares ?? new Map<string, number>()).values()].reduce((sum, one) => sum + one, 0)).toBeCloseTo(100, 0);
  });
  it("that are new are seen in the share of all others, and are followed once another was not met for a day", () => {
    const counts = new FieldCounts(5);
    const minute = (number: number, values: readonly string[]) => {
      for (const value of values)
        for (let times = 0; times < 10; times++) counts.add(1, value, AT + number * MINUTE_MS + times);
      return counts.read(AT + (number + 1) * MINUTE_MS).get(1)?.shares;
    };
    const usual = Array.from({ length: MOST_SHARES }, (_, index) => `v${index}`);
    expect(minute(0, usual)?.has(OTHER_VALUES)).toBe(false);
    const rest = usual.slice(1);
    const seen = minute(10, [...rest, "new"]);
    expect([seen?.has("new"), seen?.get(OTHER_VALUES), seen?.get("v0")]).toEqual([false, 8.33, 0]);
    for (let number = 300; number <= 1500; number += 300) minute(number, [...rest, "new"]);
    const later = minute(1505, [...rest, "new"]);
    expect([later?.has("v0"), later?.get("new"), later?.get(OTHER_VALUES)]).toEqual([false, 8.33, 0]);
  });
  it("count every record once, in the window it belongs to, and keep nothing of what has passed", () => {
    const record = fc.record({ value: fc.constantFrom("a", "b", "c"), minute: fc.nat({ max: 20 }) });
    fc.assert(
      fc.property(fc.array(record, { maxLength: 80 }), fc.integer({ min: 1, max: 25 }), (records, end) => {
        const counts = new FieldCounts(5);
        for (const { value, minute } of records) counts.add(7, value, AT + minute * MINUTE_MS);
        const inside = records.filter(({ minute }) => minute < end && minute >= end - 5);
        const found = counts.read(AT + end * MINUTE_MS).get(7);
        expect(found?.records ?? 0).toBe(inside.length);
        expect(found?.distinct ?? 0).toBe(new Set(inside.map((one) => one.value)).size);
        expect(counts.read(AT + 1000 * MINUTE_MS).get(7)?.records ?? 0).toBe(0);
      }),
    );
  });
  it("are bounded: of endlessly many different ones, counting of further ones stops", () => {
    const counts = new FieldCounts(5);
    for (let at = 0; at < 6_000; at++) counts.add(1, `v${at}`, AT);
    counts.add(1, "v1", AT);
    expect(counts.read(AT + MINUTE_MS).get(1)).toMatchObject({ records: 5_001, distinct: 5_000 });
  });
});
