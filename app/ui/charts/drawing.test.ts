import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { ChartData } from "#core/drawing/chart";
import type { DrawnLine } from "#server/pages/metrics";
import { DAY, NIGHT } from "#core/drawing/tokens";
import { aloneDots, roundAxis, timeAxis } from "#core/drawing/axes";
import { houseData, houseOptions } from "#core/drawing/house-drawing";
import { lineData, lineOptions } from "./line-drawing";
import { lineStyle } from "./line-style";
import { pointAt, pointBefore } from "./points";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;

const chart = (changes: Partial<ChartData> = {}): ChartData =>
  ({
    seriesId: 1,
    title: "Memory usage",
    owner: "h-1",
    unit: "%",
    fromMs: AT,
    toMs: AT + 10 * MINUTE,
    points: [
      [AT, 40, 45, 50],
      [AT + MINUTE, null, null, null],
      [AT + 2 * MINUTE, 60, 61, 62],
    ],
    over: [],
    exemplars: [],
    band: [],
    limits: [],
    marks: [],
    legend: { min: 40, mean: 50, max: 62, last: 61, count: 3 },
    ...changes,
  }) as ChartData;

const line = (key: string, values: readonly (number | null)[], changes: Partial<DrawnLine> = {}): DrawnLine => ({
  selection: 0,
  key,
  label: key,
  unit: "By",
  axis: "left",
  componentId: null,
  seriesId: null,
  series: 1,
  points: values.map((value, index) => [AT + index * MINUTE, value, value, value]),
  over: [],
  exemplars: [],
  legend: { min: null, mean: null, max: null, last: null, count: values.length },
  ...changes,
});

type Ticks = { ticks: { value: number }[]; chart: { width: number } };
const ticksOf = (axis: { afterBuildTicks: (axis: Ticks) => void }, width = 1000): number[] => {
  const drawn: Ticks = { ticks: [], chart: { width } };
  axis.afterBuildTicks(drawn);
  return drawn.ticks.map((tick) => tick.value);
};

describe("the axes of the house", () => {
  it("have no more instants than there is room for", () => {
    const axis = timeAxis(AT, AT + 60 * MINUTE, 9, DAY);
    const wide = ticksOf(axis, 1000);
    const narrow = ticksOf(axis, 220);
    expect(wide.length).toBeGreaterThan(narrow.length);
    expect(narrow.length).toBeLessThanOrEqual(3);
    for (const at of wide) expect(at % MINUTE).toBe(0);
  });
  it("end on round values of the unit", () => {
    expect(roundAxis(0, 93, "%", 5)).toMatchObject({ min: 0, max: 100 });
    const bytes = roundAxis(0, 3 * 1024 ** 3, "By", 5);
    expect(bytes.max % 1024 ** 3).toBe(0);
  });
});

describe("dots", () => {
  it("stand for samples that have nothing on either side, and for those only", () => {
    const points = [1, Number.NaN, 2, Number.NaN, 3, 4].map((y, x) => ({ x, y }));
    const dots = (of: typeof points) => aloneDots(of, 2, "#000").flatMap((one) => one.data.map(({ x }) => x));
    expect(dots(points)).toEqual([0, 2]);
    expect(dots([{ x: 7, y: 5 }])).toEqual([7]);
    expect(aloneDots(points.slice(4), 2, "#000")).toEqual([]);
  });
});

describe("the house chart", () => {
  it("draws highest, lowest and mean, gaps as gaps", () => {
    const { datasets } = houseData(chart(), DAY);
    expect(datasets.map((one) => one.label)).toEqual(["highest", "lowest", "alone", "mean"]);
    expect(datasets.at(-1)?.data.map((point) => point.y)).toEqual([45, Number.NaN, 61]);
    expect(datasets[0]?.data[2]).toEqual({ x: AT + 2 * MINUTE, y: 62 });
  });
  it("adds what it is compared with and exemplars", () => {
    const more = chart({
      over: [[AT, 30]],
      exemplars: [{ atMs: AT, value: 44, traceId: "a", spanId: "b" }] as unknown as ChartData["exemplars"],
    });
    expect(houseData(more, NIGHT).datasets.map((one) => one.label)).toEqual([
      "highest",
      "lowest",
      "over",
      "exemplars",
      "alone",
      "mean",
    ]);
  });
  it("leaves out limits far above what is drawn, but not in percent", () => {
    const limits = [
      { severity: "warning", value: 70 },
      { severity: "critical", value: 90 },
    ] as ChartData["limits"];
    const annotations = (one: ChartData) =>
      Object.keys(
        (houseOptions(one, undefined, DAY).plugins as unknown as { annotation: { annotations: object } }).annotation
          .annotations,
      );
    expect(annotations(chart({ limits }))).toEqual(["limitwarning", "limitcritical"]);
    expect(annotations(chart({ limits, unit: "By" }))).toEqual(["limitwarning"]);
  });
  it("says what is under the pointer: the mean, with the extremes where they differ", () => {
    const label = houseOptions(chart(), undefined, DAY).plugins?.tooltip?.callbacks?.label as unknown as (item: {
      dataIndex: number;
    }) => string;
    expect(label({ dataIndex: 0 })).toBe("45.0 % (40.0 % to 50.0 %)");
    expect(label({ dataIndex: 1 })).toBe("no data");
    const flat = chart({ points: [[AT, 7, 7, 7]] });
    const own = houseOptions(flat, undefined, DAY).plugins?.tooltip?.callbacks?.label as unknown as typeof label;
    expect(own({ dataIndex: 0 })).toBe("7.0 %");
  });
  it("keeps bounds that are given", () => {
    expect(houseOptions(chart(), [10, 20], DAY).scales?.y).toMatchObject({ min: 10, max: 20 });
  });
});

describe("the chart of lines", () => {
  it("breaks a line where spans are missing, and not where a series is seldom measured", () => {
    const gap = line("a", [1, 2, 3, 4, 5, 6, 7]);
    gap.points.splice(4, 2);
    const drawn = (one: DrawnLine, stepMs: number) =>
      lineData({ lines: [one], stepMs, lifted: null }, DAY)
        .datasets.at(-1)
        ?.data.map((point) => point.y);
    expect(drawn(gap, MINUTE)).toEqual([1, 2, 3, 4, Number.NaN, 7]);
    const seldom = line("b", [1, 2, 3]);
    expect(drawn(seldom, 1000)).toEqual([1, 2, 3]);
  });
  it("draws envelopes of few lines, and of many only the lifted one's", () => {
    const count = (lines: DrawnLine[], lifted: string | null) =>
      lineData({ lines, stepMs: MINUTE, lifted }, DAY).datasets.length;
    const lines = ["a", "b", "c", "d"].map((key) => line(key, [1, 2]));
    expect(count(lines.slice(0, 3), null)).toBe(9);
    expect(count(lines, null)).toBe(4);
    expect(count(lines, "b")).toBe(6);
  });
  it("shows the right axis only where a line is on it, and keeps bounds set by hand", () => {
    const on = (axis: "left" | "right") => line(axis, [1], { axis });
    const scales = (lines: DrawnLine[]) => lineOptions({ lines, fromMs: AT, toMs: AT + MINUTE }, 1, 9, DAY).scales;
    expect(scales([on("left")])?.right).toMatchObject({ display: false });
    expect(scales([on("left"), on("right")])?.right).toMatchObject({ display: true });
    expect(scales([on("left")])?.left).toMatchObject({ min: 1, max: 9 });
  });
  it("gives no two of many lines the same look", () => {
    const looks = Array.from({ length: DAY.lines.length * 3 }, (_, index) => JSON.stringify(lineStyle(DAY, index)));
    expect(new Set(looks).size).toBe(looks.length);
  });
});

describe("the point at an instant", () => {
  it("is the last that began before it", () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 1000 }), { maxLength: 40 }),
        fc.integer({ min: -5, max: 1005 }),
        (times, at) => {
          const points = times.sort((a, b) => a - b).map((time): [number] => [time]);
          expect(pointBefore(points, at)).toEqual(points.filter(([time]) => time <= at).at(-1));
        },
      ),
    );
  });
  it("is the nearest of a line, and none where nothing is near", () => {
    const one = line("a", [1, 2, 3]);
    expect(pointAt(one, AT + 0.6 * MINUTE, MINUTE)?.[2]).toBe(2);
    expect(pointAt(one, AT + 0.4 * MINUTE, MINUTE)?.[2]).toBe(1);
    expect(pointAt(one, AT + 60 * MINUTE, MINUTE)).toBeUndefined();
    expect(pointAt(line("b", []), AT, MINUTE)).toBeUndefined();
  });
});
