import { describe, expect, it } from "vitest";
import { readOpenMetrics } from "#core/telemetry/openmetrics";
import { metricsOf } from "./scraper";
import type { HistogramPoint, Metric, NumberPoint, SummaryPoint } from "./otlp-types";

const NOW = Date.parse("2026-03-17T10:00:00Z");
function metrics(text: string): Metric[] {
  const read = readOpenMetrics(text);
  if (!read.ok) throw new Error(read.problem);
  return read.families.flatMap((family) => metricsOf(family, NOW));
}
const points = <Point>(metric: Metric | undefined) =>
  (metric && "points" in metric.data ? metric.data.points : []) as unknown as Point[];

describe("a page of OpenMetrics as signals", () => {
  it("counters begin when `_created` of the same labels says", () => {
    const [counter] = metrics(`# TYPE calls counter
# UNIT calls seconds
calls_total{route="/a"} 5
calls_created{route="/a"} 1773741000
calls_total{route="/b"} 7
# EOF
`);
    expect(counter).toMatchObject({ name: "calls", unit: "s", data: { kind: "sum", monotonic: true, temporality: 2 } });
    expect(points<NumberPoint>(counter).map((point) => [point.value, point.startMs])).toEqual([
      [5, 1_773_741_000_000],
      [7, 0],
    ]);
  });
  it("exemplars come with the time they say, or that of their sample, and only where they have a trace", () => {
    const [histogram] = metrics(`# TYPE took histogram
took_bucket{le="0.1"} 3 # {trace_id="ABAB"} 0.067
took_bucket{le="1"} 4 # {trace_id="cdcd",span_id="efef"} 0.7 1773741599.5
took_bucket{le="+Inf"} 4 # {customer="x"} 9
took_count 4
took_sum 1.2
took_created 1773741000
# EOF
`);
    const [point] = points<HistogramPoint>(histogram);
    expect(point).toMatchObject({
      startMs: 1_773_741_000_000,
      count: 4,
      sum: 1.2,
      bounds: [0.1, 1],
      counts: [3, 1, 0],
    });
    expect(point?.exemplars).toEqual([
      { atMs: NOW, value: 0.067, traceId: "abab", spanId: "" },
      { atMs: 1_773_741_599_500, value: 0.7, traceId: "cdcd", spanId: "efef" },
    ]);
  });
  it("summaries keep their quantiles and their beginning, label set by label set", () => {
    const [summary] = metrics(`# TYPE lag summary
lag{queue="a",quantile="0.5"} 0.2
lag{queue="a",quantile="0.99"} 0.9
lag_count{queue="a"} 10
lag_sum{queue="a"} 3
lag_created{queue="a"} 1773741000
lag_count{queue="b"} 1
lag_sum{queue="b"} 2
# EOF
`);
    expect(
      points<SummaryPoint>(summary).map((point) => [
        point.count,
        point.sum,
        point.startMs,
        point.quantiles.map((one) => one.quantile),
      ]),
    ).toEqual([
      [10, 3, 1_773_741_000_000, [0.5, 0.99]],
      [1, 2, 0, []],
    ]);
  });
  it("gauges have no beginning, and what only describes is no signal", () => {
    const list = metrics(`# TYPE up gauge
up 1
up_created 5
# TYPE build info
build_info{version="1"} 1
# TYPE mode stateset
mode{mode="on"} 1
# EOF
`);
    expect(list.map((metric) => metric.name)).toEqual(["up", "up_created"]);
    expect(points<NumberPoint>(list[0])[0]).toMatchObject({ startMs: 0, value: 1, attributes: [] });
  });
});
