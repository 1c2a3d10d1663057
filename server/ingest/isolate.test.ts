import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Batch } from "../receivers/batch";
import { keepWhatFits, partOf } from "./isolate";

/** A batch with so many records of each kind; each can be told by a number of its own. */
function batch(samples: number, logs: number, spans: number): Batch {
  return {
    resources: [{ handle: 1, attributes: {} }],
    series: [],
    handles: Int32Array.from({ length: samples }, () => 1),
    times: Float64Array.from({ length: samples }, (_, index) => index),
    values: Float64Array.from({ length: samples }, (_, index) => index),
    logs: Array.from({ length: logs }, (_, index) => ({ body: `log ${index}` })),
    spans: Array.from({ length: spans }, (_, index) => ({ name: `span ${index}` })),
    events: [],
    exemplars: [],
  } as unknown as Batch;
}
const names = (part: Batch) => [
  ...[...part.times].map((time) => `sample ${time}`),
  ...part.logs.map((log) => log.body),
  ...part.spans.map((span) => span.name),
];
const sizes = fc.tuple(fc.nat(12), fc.nat(12), fc.nat(12));

describe("parts of a batch", () => {
  it("put together are the batch, wherever it is cut", () => {
    fc.assert(
      fc.property(sizes, fc.nat(40), ([samples, logs, spans], cut) => {
        const whole = batch(samples, logs, spans);
        const all = samples + logs + spans;
        const place = Math.min(cut, all);
        expect([...names(partOf(whole, 0, place)), ...names(partOf(whole, place, all))].sort()).toEqual(
          names(whole).sort(),
        );
        expect(partOf(whole, 0, place).resources).toBe(whole.resources);
      }),
    );
  });
});

describe("a batch with records that cannot be kept", () => {
  it("keeps all others, once each, and counts those", () => {
    fc.assert(
      fc.property(sizes, fc.array(fc.nat(35), { maxLength: 3 }), ([samples, logs, spans], places) => {
        const whole = batch(samples, logs, spans);
        const all = names(whole);
        const bad = new Set(places.flatMap((place) => all[place] ?? []));
        const kept: string[] = [];
        const { refused, error } = keepWhatFits(whole, (part) => {
          const own = names(part);
          if (own.some((name) => bad.has(name))) throw new Error("cannot be kept");
          kept.push(...own);
        });
        expect(kept.sort()).toEqual(all.filter((name) => !bad.has(name)).sort());
        expect(refused).toBe(bad.size);
        expect(error === undefined).toBe(bad.size === 0);
      }),
    );
  });
  it("is refused whole where every record fails, after a bounded number of tries", () => {
    let tries = 0;
    const { refused } = keepWhatFits(batch(4000, 0, 0), () => {
      tries++;
      throw new Error("no");
    });
    expect(refused).toBe(4000);
    expect(tries).toBeLessThan(200);
  });
  it("is not cut further when the store takes nothing: that is not the records' fault", () => {
    let tries = 0;
    const full = new Error("the disk is full");
    const keep = () => {
      tries++;
      throw full;
    };
    expect(() => keepWhatFits(batch(50, 0, 0), keep, (error) => error === full)).toThrow("the disk is full");
    expect(tries).toBe(1);
  });
  it("is refused where what it says of its senders cannot be kept", () => {
    const { refused, error } = keepWhatFits(batch(0, 0, 0), () => {
      throw new Error("no");
    });
    expect([refused, (error as Error).message]).toEqual([1, "no"]);
  });
});
