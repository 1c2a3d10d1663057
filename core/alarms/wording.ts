import type { ThresholdRule, ThresholdVerdict } from "../detection/threshold";
import { formatValue } from "../units/format";

/** How a metric is called in a sentence. */
export const METRIC_NAMES: Readonly<Record<string, string>> = {
  "cpu.used": "Processor use",
  "cpu.core.used": "Use of processor core",
  "memory.used": "Memory use",
  "disk.used": "Disk use",
  "net.in": "Traffic in",
  "net.out": "Traffic out",
  "net.errors": "Interface errors",
  reachable: "Answer to polls",
  response: "Agent response",
  "process.memory": "Process memory",
  "process.cpu": "Process processor use",
  "cpu.stolen": "Waits for the hypervisor",
  "swap.used": "Swap use",
  pressure: "Waits for",
  "container.cpu.usage": "Processors used by container",
  "container.cpu.used": "Processor use of its quota",
  "container.cpu.throttled": "Held back by its quota",
  "container.memory.usage": "Memory of container",
  "container.memory.used": "Memory use of its limit",
  "container.processes": "Processes in container",
  "http.server.request.duration": "HTTP request duration",
  "http.client.request.duration": "HTTP call duration",
  "guest.running": "Running",
  "guest.cpu.used": "Processor use seen from below",
  "guest.memory": "Memory allotted",
  "guests.running": "Virtual machines running",
  "cpu.allotted": "Processors allotted",
  "memory.allotted": "Memory allotted to machines",
};

/** What is worked out of a metric stands behind it: "HTTP request duration, p95". */
export function metricName(metric: string): string {
  const [, base = metric, part] = /^(.+)\.(p\d+(?:\.\d+)?|count|sum)$/.exec(metric) ?? [];
  return `${METRIC_NAMES[base] ?? base.replaceAll(/[._]/g, " ")}${part ? `, ${part}` : ""}`;
}

/** "Disk use of /srv", "Memory use". */
export function metricTitle(metric: string, instance: string): string {
  if (!instance) return metricName(metric);
  return metric === "cpu.core.used" ? `${metricName(metric)} ${instance}` : `${metricName(metric)} of ${instance}`;
}

/** The text of an alarm: what is measured, against which limit, over how many samples. */
export function alarmText(rule: ThresholdRule, verdict: ThresholdVerdict, instance: string, unit: string): string {
  if (rule.metric === "reachable")
    return `Does not answer: ${Math.round((1 - verdict.mean) * verdict.samples)} of the last ${verdict.samples} polls or reports did not come`;
  const over = verdict.samples > 1 ? ` (mean of ${verdict.samples} samples)` : "";
  return `${metricTitle(rule.metric, instance)} at ${formatValue(verdict.mean, unit)}${over}, ${rule.direction} the limit of ${formatValue(verdict.limit, unit).replace(".0 ", " ")}`;
}

export function clearedText(rule: ThresholdRule, verdict: ThresholdVerdict, instance: string, unit: string): string {
  if (rule.metric === "reachable") return "Answers again";
  return `${metricTitle(rule.metric, instance)} is back in bounds: ${formatValue(verdict.mean, unit)}`;
}
