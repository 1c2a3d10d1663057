/** What of its calls a figure shows, where a component answers calls. */
export type CallPart = "rate" | "response" | "errors";

/** A figure that cards of a map can show. */
export interface CardFigure {
  value: string;
  label: string;
  /** The first of these that is measured of a component is shown. */
  metrics: readonly string[];
  /** Shown rather than any of these, where spans tell of calls. */
  calls?: CallPart;
}

/** What a person may choose to see on the cards; the usual one is that of each kind, or what is in alarm. */
export const CARD_FIGURES: readonly CardFigure[] = [
  {
    value: "load",
    label: "Load",
    calls: "rate",
    metrics: ["balancer.requests", "function.calls", "bucket.requests", "database.connections", "node.pods"],
  },
  {
    value: "response",
    label: "Response time",
    calls: "response",
    metrics: ["balancer.response", "function.duration", "database.latency", "volume.latency", "response"],
  },
  {
    value: "errors",
    label: "Errors",
    calls: "errors",
    metrics: ["balancer.failed", "function.errors", "net.errors", "hardware.health"],
  },
  {
    value: "cpu",
    label: "CPU",
    metrics: [
      "cpu.used",
      "guest.cpu.used",
      "database.cpu.used",
      "container.cpu.used",
      "process.cpu",
      "workload.cpu.usage",
      "container.cpu.usage",
    ],
  },
  {
    value: "memory",
    label: "Memory",
    metrics: [
      "memory.used",
      "guest.memory.used",
      "container.memory.used",
      "process.memory",
      "workload.memory.usage",
      "container.memory.usage",
      "guest.memory",
    ],
  },
  {
    value: "disk",
    label: "Disk",
    metrics: ["disk.used", "volume.used", "database.storage.used", "storage.allotted", "bucket.size"],
  },
  { value: "traffic", label: "Traffic", metrics: ["net.out", "net.in", "guest.net.out", "guest.net.in"] },
];

export const cardFigure = (value: string): CardFigure | undefined => CARD_FIGURES.find((one) => one.value === value);
