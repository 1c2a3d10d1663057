import type { Point } from "./measure";

/** A sender's description of itself: OpenTelemetry resource attributes. */
export type Resource = Readonly<Record<string, string>>;

export const AGENT_NAME = "holotaxis-agent";
export const AGENT_VERSION = "0.1.0";

const text = (key: string, value: string) => ({ key, value: { stringValue: value } });

/** Points of several resources as one OTLP 1.x request for metrics, in its JSON form. */
export function metricsRequest(
  parts: readonly { resource: Resource; points: readonly Point[] }[],
  atMs: number,
): unknown {
  const timeUnixNano = `${Math.round(atMs)}000000`;
  return {
    resourceMetrics: parts.map(({ resource, points }) => {
      const byMetric = new Map<string, Point[]>();
      for (const point of points) byMetric.set(point.metric, [...(byMetric.get(point.metric) ?? []), point]);
      return {
        resource: { attributes: Object.entries(resource).map(([key, value]) => text(key, value)) },
        scopeMetrics: [
          {
            scope: { name: AGENT_NAME, version: AGENT_VERSION },
            metrics: [...byMetric].map(([name, list]) => ({
              name,
              unit: list[0]?.unit ?? "1",
              gauge: {
                dataPoints: list.map((point) => ({
                  timeUnixNano,
                  asDouble: point.value,
                  ...(point.instance ? { attributes: [text("instance", point.instance)] } : {}),
                })),
              },
            })),
          },
        ],
      };
    }),
  };
}
