import { describe, expect, it } from "vitest";
import { extendCatalogue } from "./extend";
import { allKinds, hasKind, kindInfo } from "./kinds";
import { describedMetrics, metricInfo, metricTitle, readableLabel, symptomOf } from "./metrics";

describe("kinds", () => {
  it("of later versions fall back to their family, under their own name", () => {
    expect(kindInfo("net.firewall")).toMatchObject({
      kind: "net.firewall",
      label: "net.firewall",
      stratum: "network",
      isHost: true,
    });
    expect(kindInfo("host.other")).toMatchObject({ stratum: "hosts", isHost: true });
    expect(kindInfo("queue.other")).toMatchObject({ isHost: false });
  });
  it("chart only metrics that are described", () => {
    const described = new Set([...describedMetrics()].map((one) => one.metric));
    for (const [kind, { charts }] of allKinds()) for (const metric of charts) expect(described, kind).toContain(metric);
  });
});

describe("metrics", () => {
  it.each([
    ["process_resident_memory_bytes", "Process resident memory"],
    ["http.server.active_requests", "HTTP server active requests"],
    ["queueDepth", "Queue depth"],
    ["cpu_seconds_total", "CPU"],
    ["bytes", "Bytes"],
    ["gateway.tcp.retries", "Gateway TCP retries"],
  ])("that nobody described get a readable label: %s is “%s”", (name, label) =>
    expect(readableLabel(name)).toBe(label),
  );
  it("say what is wrong in words, whichever they are", () => {
    expect(symptomOf("memory.used", "above")).toBe("memory is running out");
    expect(symptomOf("reachable", "below")).toBe("not responding");
    expect(symptomOf("queue.depth", "above")).toBe("queue depth is too high");
    expect(symptomOf("http.errors", "below")).toBe("HTTP errors is too low");
  });
  it("put an instance where it is said", () => {
    expect(metricTitle("cpu.core.used", "3")).toBe("CPU usage of core 3");
    expect(metricTitle("disk.used", "/srv")).toBe("Disk usage of /srv");
  });
});

it("is extended by kits: a kind like another, and metrics of its own", () => {
  extendCatalogue({
    kinds: [
      { kind: "app.test-kit", like: "app.process", label: "Test thing", plural: "Test things", charts: ["test.depth"] },
    ],
    metrics: [{ metric: "test.depth", label: "Depth", unit: "m", bad: "low", symptom: { low: "it runs dry" } }],
  });
  expect(hasKind("app.test-kit")).toBe(true);
  expect(kindInfo("app.test-kit")).toMatchObject({
    label: "Test thing",
    stratum: "applications",
    charts: ["test.depth"],
    headline: { metric: "process.memory" },
  });
  expect(metricInfo("test.depth")).toMatchObject({ unit: "m", instrument: "gauge", combine: "sum" });
  expect(symptomOf("test.depth", "below")).toBe("it runs dry");
});
