import { expect, it } from "vitest";
import { metricName, metricTitle } from "../catalogue/metrics";
import { clearedText, thresholdText, type ThresholdFacts } from "./wording";

const facts = (changes: Partial<ThresholdFacts>): ThresholdFacts => ({
  metric: "disk.used",
  instance: "/srv",
  unit: "%",
  direction: "above",
  mean: 92.84,
  limit: 90,
  samples: 3,
  ...changes,
});

it("says what is measured, over how many samples, and against which limit", () => {
  expect(thresholdText(facts({}))).toBe("Disk usage of /srv at 92.8 % (mean of 3 samples), above the limit of 90 %");
  expect(thresholdText(facts({ limit: 90.5, samples: 1 }))).toBe(
    "Disk usage of /srv at 92.8 %, above the limit of 90.5 %",
  );
});
it("counts polls and reports that were missed", () => {
  const silent = facts({ metric: "reachable", instance: "", unit: "0/1", direction: "below", mean: 1 / 3, limit: 0.4 });
  expect(thresholdText(silent)).toBe("Not responding: 2 of the last 3 polls or reports were missed");
  expect(clearedText({ ...silent, mean: 1 })).toBe("Responding again");
});
it("counts looks at which a process was not there", () => {
  const ended = facts({
    metric: "process.running",
    instance: "",
    unit: "0/1",
    direction: "below",
    mean: 1 / 3,
    limit: 0.4,
  });
  expect(thresholdText(ended)).toBe("Not running: not among the processes of its host in 2 of the last 3 polls");
  expect(clearedText({ ...ended, mean: 1 })).toBe("Running again");
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
