import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { prepared, type Db } from "./database";
import { appendToLog, logAfter, pendingSamples, trimLog, type LoggedSamples } from "./sample-log";
import { useStore } from "../../tests/store";

let db: Db;
useStore((opened) => (db = opened));

const entryOf = (rows: readonly (readonly [number, number, number])[]): LoggedSamples => ({
  series: Uint32Array.from(rows, ([series]) => series),
  times: Float64Array.from(rows, ([, at]) => at),
  values: Float64Array.from(rows, ([, , value]) => value),
});
const last = () => [...logAfter(db, 0)].at(-1) as LoggedSamples & { id: number };

describe("the write-ahead log", () => {
  const instant = fc.oneof(
    fc.integer({ min: 1_773_700_000_000, max: 1_773_700_100_000 }),
    fc.integer({ min: 0, max: 4_000_000_000_000 }),
  );
  it("gives back what it was given, near or far apart, whatever the values", () =>
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 2 ** 32 - 1 }), instant, fc.double()), {
          minLength: 1,
          maxLength: 40,
        }),
        (rows) => {
          const entry = entryOf(rows);
          const id = appendToLog(db, entry);
          const { series, times, values } = last();
          expect(last().id).toBe(id);
          expect([...series]).toEqual([...entry.series]);
          expect([...times]).toEqual([...entry.times]);
          expect(values.every((value, index) => Object.is(value, entry.values[index]))).toBe(true);
        },
      ),
      { numRuns: 60 },
    ));
  it("is smaller where its instants lie together, by a fifth", () => {
    const bytes = (spread: number) => {
      const id = appendToLog(
        db,
        entryOf(Array.from({ length: 1000 }, (_, index) => [index, 1e12 + (index % 2) * spread, 1])),
      );
      return prepared<{ n: number }>(db, "SELECT length(data) AS n FROM sample_wal WHERE id = ?").get(id)?.n ?? 0;
    };
    expect(bytes(15_000) / bytes(2 ** 32)).toBeCloseTo(0.8, 2);
  });
  it("reads the rows of earlier versions", () => {
    const data = Buffer.concat([
      Buffer.from(Uint32Array.of(7, 8).buffer),
      Buffer.from(Float64Array.of(1e12, 1e12 + 5).buffer),
      Buffer.from(Float64Array.of(1.5, Number.NaN).buffer),
    ]);
    prepared(db, "INSERT INTO sample_wal (count, newest_at, data) VALUES (2, ?, ?)").run(1e12 + 5, data);
    expect([...last().series]).toEqual([7, 8]);
    expect([...last().times]).toEqual([1e12, 1e12 + 5]);
    expect(last().values[0]).toBe(1.5);
    expect(last().values[1]).toBeNaN();
  });
  it("shows a series in the order of its instants, and nothing of rows that were trimmed once they are many", () => {
    const id = 123_456;
    for (let row = 0; row < 40; row++) appendToLog(db, entryOf([[id, 1e12 + 40 - row, row]]));
    const before = pendingSamples(db, id);
    expect([...before.times]).toEqual(Array.from({ length: 40 }, (_, index) => 1e12 + 1 + index));
    expect(before.values[0]).toBe(39);
    trimLog(db, last().id - 4);
    expect(pendingSamples(db, id).times.length).toBe(5);
    expect(pendingSamples(db, id + 1).times.length).toBe(0);
  });
});
