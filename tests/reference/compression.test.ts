import { expect, it } from "vitest";
import { encodeChunk } from "#core/telemetry/chunk";

const everyMinute = (count: number, value: (index: number) => number) => ({
  times: Float64Array.from({ length: count }, (_, index) => 1_700_000_000_000 + index * 60_000),
  values: Float64Array.from({ length: count }, (_, index) => value(index)),
});

// Source: Pelkonen et al., VLDB 2015, §4.1: 96 % of time stamps take one bit on their data, a repeated value takes one
// bit; their two-hour blocks average 1.37 bytes a sample (figure 6). Their data is not published, so the parts are
// checked.
it("takes no more than the published bit for an instant on time and a value that stays", () => {
  expect(
    encodeChunk(
      everyMinute(240, () => 12),
      240,
    ).length,
  ).toBeLessThanOrEqual(Math.ceil((128 + 24 + 239 * 2) / 8));
});

it("stays below the published mean on whole numbers that change now and then", () => {
  let value = 40;
  const samples = everyMinute(120, (index) => (value += index % 4 === 3 ? (index % 8 === 3 ? 1 : -1) : 0));
  expect(encodeChunk(samples, 120).length / 120).toBeLessThan(1.37);
});

// The same section: values that do not compress at all take at most their 64 bits and the control bits.
it("never needs much more than the plain doubles", () => {
  let state = 1;
  const samples = everyMinute(240, () => (state = (state * 16_807) % 2_147_483_647) / 2_147_483_647);
  expect(encodeChunk(samples, 240).length / 240).toBeLessThan(8.5);
});
