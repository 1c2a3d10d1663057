import { describe, expect, it } from "vitest";
import { guessMapping, mapCsvRows, readCsvNumber, readCsvTime } from "./csv-map";

const NOW = Date.parse("2026-03-17T10:00:00Z");

describe("instants in files", () => {
  it.each([
    ["2026-03-17T09:00:00Z", NOW - 3_600_000],
    ["2026-03-17 09:00", NOW - 3_600_000],
    ["2026-03-17 09:00:00.123456", NOW - 3_600_000 + 123],
    ["2026-03-17T11:00:00+02:00", NOW - 3_600_000],
    ["1773738000", NOW - 3_600_000],
    ["1773738000000", NOW - 3_600_000],
    ["1773738000000000000", NOW - 3_600_000],
    ["yesterday", undefined],
    ["", undefined],
  ])("%s", (text, expected) => expect(readCsvTime(text)).toBe(expected));
});

it("reads numbers with a point or a comma", () => {
  expect(["1.5", "1,5", "-2e3", " 7 ", "NaN"].map(readCsvNumber)).toEqual([1.5, 1.5, -2000, 7, Number.NaN]);
  expect(["", "1,234,567", "x", "1.2.3"].map(readCsvNumber)).toEqual([undefined, undefined, undefined, undefined]);
});

describe("mapping", () => {
  it("takes one series a column, and says which rows it leaves out", () => {
    const mapping = guessMapping(
      ["Time", "Berth N1 (%)", "note", "crane"],
      [
        ["2026-03-17 09:00", "40", "a", "1"],
        ["2026-03-17 09:05", "", "b", "2"],
      ],
    );
    expect(mapping).toEqual({
      form: "wide",
      time: 0,
      unit: "1",
      values: [
        { column: 1, metric: "berth_n1" },
        { column: 3, metric: "crane" },
      ],
    });
    const mapped = mapCsvRows(
      [
        ["2026-03-17 09:00", "40", "a", "1"],
        ["soon", "1", "", "1"],
        ["2026-03-17 09:05", "", "b", "2"],
        ["2030-01-01 00:00", "1", "", "1"],
        ["2026-03-17 09:10", "x", "", "y"],
        [""],
      ],
      mapping as NonNullable<typeof mapping>,
      2,
      NOW,
    );
    expect(mapped.series.map((one) => [one.metric, one.values])).toEqual([
      ["berth_n1", [40]],
      ["crane", [1, 2]],
    ]);
    expect([mapped.samples, mapped.skipped, mapped.reasons]).toEqual([
      3,
      3,
      [
        "Row 3: “soon” is not a timestamp.",
        "Row 5: 2030-01-01T00:00Z lies before the year 2000 or in the future.",
        "Row 6: None of its values is a number.",
      ],
    ]);
  });

  it("takes the long form, one row a sample", () => {
    const rows = [
      ["1773738000", "load", "a", "1.5"],
      ["1773738060", "load", "b", "2.5"],
      ["1773738120", "", "b", "1"],
    ];
    const mapping = guessMapping(["timestamp", "metric", "host", "value"], rows.slice(0, 2));
    expect(mapping).toEqual({ form: "long", time: 0, metric: 1, value: 3, instance: 2, unit: "1" });
    const mapped = mapCsvRows(rows, mapping as NonNullable<typeof mapping>, 2, NOW);
    expect(mapped.series.map((one) => [one.metric, one.instance, one.values])).toEqual([
      ["load", "a", [1.5]],
      ["load", "b", [2.5]],
    ]);
    expect(mapped.reasons).toEqual(["Row 4: The name of the metric is empty or too long."]);
  });

  it("is not thrown off by a row that is wrong", () => {
    const rows = Array.from({ length: 10 }, (_, index) => [
      index === 4 ? "broken" : `2026-03-17 09:0${index}`,
      String(index),
    ]);
    expect(guessMapping(["when", "load"], rows)).toMatchObject({
      form: "wide",
      time: 0,
      values: [{ column: 1, metric: "load" }],
    });
  });

  it("guesses nothing where there is no time or no number", () => {
    expect(guessMapping(["a", "b"], [["x", "1"]])).toBeUndefined();
    expect(guessMapping(["time", "b"], [["2026-03-17", "x"]])).toBeUndefined();
    expect(guessMapping([], [])).toBeUndefined();
  });
});
