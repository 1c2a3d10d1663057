import { expect, it } from "vitest";
import type { ThresholdRule } from "../detection/threshold";
import { alarmText, clearedText } from "./wording";
import { metricName, metricTitle } from "../catalogue/metrics";

const rule: ThresholdRule = {
  id: 1,
  metric: "disk.used",
  kind: "host.*",
  direction: "above",
  limits: [],
  samples: 3,
  hysteresis: 2,
  memoryMs: 1,
};

it("says what is measured, over how many samples, and against which limit", () => {
  expect(alarmText(rule, { severity: "major", mean: 92.84, limit: 90, samples: 3 }, "/srv", "%")).toBe(
    "Disk usage of /srv at 92.8 % (mean of 3 samples), above the limit of 90 %",
  );
  expect(alarmText(rule, { severity: "major", mean: 92.84, limit: 90.5, samples: 1 }, "/srv", "%")).toBe(
    "Disk usage of /srv at 92.8 %, above the limit of 90.5 %",
  );
});
it("counts polls and reports that did not come", () => {
  const silent = { ...rule, metric: "reachable", direction: "below" as const };
  expect(alarmText(silent, { severity: "critical", mean: 1 / 3, limit: 0.4, samples: 3 }, "", "0/1")).toBe(
    "Does not answer: 2 of the last 3 polls or reports did not come",
  );
  expect(clearedText(silent, { severity: "cleared", mean: 1, limit: 0.4, samples: 3 }, "", "0/1")).toBe(
    "Answers again",
  );
});
it("names metrics that no kit knows by their own name", () =>
  expect(metricTitle("queue.depth_now", "")).toBe("Queue depth now"));

it.each([
  ["cpu.used", "CPU usage"],
  ["http.server.request.duration.p95", "HTTP request duration, p95"],
  ["queue.wait.p99.9", "Queue wait, p99.9"],
  ["jobs_done.count", "Jobs done, count"],
  ["p95", "p95"],
  ["account.sum_of_all", "Account sum of all"],
])("calls %s “%s”", (metric, name) => expect(metricName(metric)).toBe(name));
