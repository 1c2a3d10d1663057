import { loadImage, createCanvas } from "@napi-rs/canvas";
import { expect, it } from "vitest";
import type { ChartData } from "#core/drawing/chart";
import { drawChart, PICTURE } from "./picture";

const T0 = Date.UTC(2026, 2, 3, 6, 0);
const chart = (values: readonly (number | null)[]): ChartData => ({
  seriesId: 1,
  title: "Memory used",
  owner: "nq-gate-app-02",
  metric: "memory.used",
  instance: "",
  unit: "%",
  fromMs: T0,
  toMs: T0 + 20 * 60_000,
  points: values.map((value, index) => [T0 + (index * 20 * 60_000) / values.length, value, value, value]),
  limits: [{ severity: "critical", value: 90 }] as ChartData["limits"],
  marks: [{ atMs: T0 + 600_000, what: "alarm", severity: "critical", text: "x" }],
  legend: { min: 10, mean: 50, max: 95, last: 95, count: values.length },
  over: [],
  exemplars: [],
  band: [],
});

/** How many pixels of a picture are darker than its ground, left and right of its middle. */
async function ink(png: Buffer): Promise<[number, number]> {
  const image = await loadImage(png);
  const canvas = createCanvas(image.width, image.height);
  const context = canvas.getContext("2d");
  context.drawImage(image, 0, 0);
  const { data, width, height } = context.getImageData(0, 60, image.width, image.height - 130);
  const halves: [number, number] = [0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) if ((data[(y * width + x) * 4] ?? 255) < 120) halves[x < width / 2 ? 0 : 1]++;
  return halves;
}

it("is a PNG of the size that messages show it in, finer", async () => {
  const png = drawChart(chart([10, 20, 95]));
  expect(png.subarray(1, 4).toString("latin1")).toBe("PNG");
  const image = await loadImage(png);
  expect(image.width / image.height).toBeCloseTo(PICTURE.width / PICTURE.height, 3);
  expect(image.width).toBeGreaterThan(PICTURE.width);
});

it("draws where there are values, and leaves a gap where there are none", async () => {
  const values = Array.from({ length: 60 }, (_, index) => (index < 30 ? null : 50 + 20 * Math.sin(index)));
  const [left, right] = await ink(drawChart(chart(values)));
  const [emptyLeft, emptyRight] = await ink(drawChart(chart(values.map(() => null))));
  expect(right).toBeGreaterThan(emptyRight + 200);
  expect(left).toBeLessThan(emptyLeft + 100);
});
