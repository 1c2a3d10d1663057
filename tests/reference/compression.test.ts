import { expect, it } from "vitest";
import { ChunkEncoder } from "#core/telemetry/chunk";

// Source: Pelkonen et al., VLDB 2015, §4.1: 96 % of time stamps take one bit on their data, a repeated value takes one bit;
// their two-hour blocks average 1.37 bytes a sample (figure 6). Their data is not published, so the parts are checked.
it("takes one bit for an instant on time and one for a value that stays", () => {
  const encoder = new ChunkEncoder();
  for (let index = 0; index < 240; index++) encoder.append(1_700_000_000_000 + index * 60_000, 12);
  // 128 bits for the first sample, one wide step for the first distance, two bits for each other sample.
  expect(encoder.toBytes().length).toBeLessThanOrEqual(Math.ceil((128 + 24 + 239 * 2) / 8));
});

it("stays near the published mean on whole numbers that change now and then", () => {
  const encoder = new ChunkEncoder();
  let value = 40;
  for (let index = 0; index < 120; index++) {
    if (index % 4 === 3) value += index % 8 === 3 ? 1 : -1;
    encoder.append(1_700_000_000_000 + index * 60_000, value);
  }
  expect(encoder.toBytes().length / 120).toBeLessThan(1.37);
});
