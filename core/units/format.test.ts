import { expect, it } from "vitest";
import { formatValue, markText, valueParts } from "./format";

it.each([
  [91.27, "%", "91.3 %"],
  [100, "%", "100 %"],
  [3.6 * 1024 ** 3, "By", "3.6 GiB"],
  [12_345_678, "bit/s", "12.3 Mbit/s"],
  [214.4, "1/h", "214 per hour"],
  [2.72, "1/h", "2.7 per hour"],
  [1500, "ms", "1.5 s"],
  [0.0244, "s", "24.4 ms"],
  [0, "s", "0 s"],
  [2.5, "s", "2.5 s"],
  [0.36, "{cpu}", "0.36 CPU"],
  [7, "{request}/s", "7 requests/s"],
  [1, "{message}", "1 message"],
  [275, "{message}", "275 messages"],
  [0, "0/1", "no"],
  [23.4, "1", "23"],
])("writes %d %s as %s", (value, unit, text) => expect(formatValue(value, unit)).toBe(text));

it.each([null, undefined, Number.NaN, Number.POSITIVE_INFINITY])("says so when there is no value (%s)", (value) =>
  expect(formatValue(value, "%")).toBe("no data"),
);

it("splits a value from its unit", () => {
  expect(valueParts(1089, "1/min")).toEqual(["1089", "per min"]);
  expect(valueParts(null, "%")).toEqual(["no data", ""]);
});

it("names what is counted beside an axis, and units at its marks", () => {
  expect(markText(15, "{connection}")).toBe("15");
  expect(markText(15, "%")).toBe("15.0 %");
  expect(markText(15, "{request}/s")).toBe("15 requests/s");
});
