import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Samples } from "./chunk";
import { OpenChunks } from "./open-chunks";

const listed = ({ times, values }: Samples) => Array.from(times, (at, index) => [at, values[index]]);

describe("chunks that still grow", () => {
  it("hold what plain lists would hold, whatever happens to them and in whatever order", () => {
    const step = fc.record({
      chunk: fc.nat({ max: 5 }),
      what: fc.constantFrom("append", "append", "append", "many", "empty", "replace", "close"),
      value: fc.double(),
    });
    fc.assert(
      fc.property(fc.array(step, { maxLength: 120 }), (steps) => {
        const chunks = new OpenChunks();
        const plain: { number: number; samples: [number, number][]; lastAt: number }[] = Array.from(
          { length: 6 },
          () => ({ number: chunks.open(), samples: [], lastAt: 0 }),
        );
        let clock = 0;
        for (const { chunk, what, value } of steps) {
          const one = plain[chunk] as (typeof plain)[number];
          for (let times = what === "append" ? 1 : what === "many" ? 40 : 0; times > 0; times--) {
            chunks.append(one.number, ++clock, value + times);
            one.samples.push([clock, value + times]);
            one.lastAt = clock;
          }
          if (what === "empty") {
            chunks.empty(one.number);
            one.samples = [];
          } else if (what === "replace") {
            one.samples = one.samples.filter((_, index) => index % 3 !== 1);
            chunks.replace(one.number, {
              times: Float64Array.from(one.samples, ([at]) => at),
              values: Float64Array.from(one.samples, ([, of]) => of),
            });
            one.lastAt = one.samples.at(-1)?.[0] ?? one.lastAt;
          } else if (what === "close") {
            chunks.close(one.number);
            Object.assign(one, { number: chunks.open(), samples: [], lastAt: 0 });
          }
        }
        for (const { number, samples, lastAt } of plain) {
          expect(listed(chunks.samples(number))).toEqual(samples);
          expect(chunks.count(number)).toBe(samples.length);
          expect(chunks.lastAt(number)).toBe(lastAt);
          if (samples.length) expect(chunks.firstAt(number)).toBe(samples[0]?.[0]);
        }
      }),
    );
  });

  it("use the room of emptied chunks again", () => {
    const chunks = new OpenChunks();
    const [first, second] = [chunks.open(), chunks.open()];
    // More than one piece of memory in all, never more than a tenth of one at a time.
    for (let round = 0; round < 20; round++) {
      for (const chunk of [first, second]) {
        for (let at = 1; at <= 12_000; at++) chunks.append(chunk, round * 12_000 + at, at);
        chunks.empty(chunk);
      }
    }
    expect(chunks.bytes).toBeLessThan(4 * 2 ** 20);
  });
});
