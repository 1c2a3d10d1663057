/** What attributes of a point of a duration histogram say of the requests in it. */
export interface RequestSeries {
  /** Whether they were answered here, or made from here; or messages that were taken here, which nobody waits for. */
  side: "answers" | "makes" | "takes";
  /** What was asked, without how it ended: "GET /slots". */
  name: string;
  failed: boolean;
}

/** Span kinds of OpenTelemetry: 2 answers a call, 5 takes a message; 3 and 4 make one. */
export const SIDE_OF_SPANS: Readonly<Record<number, RequestSeries["side"]>> = {
  2: "answers",
  3: "makes",
  4: "makes",
  5: "takes",
};

type Attributes = Readonly<Record<string, string>>;

const http = (side: RequestSeries["side"], failsFrom: number) => (attributes: Attributes) => ({
  side,
  name: [attributes["http.request.method"], attributes["http.route"] ?? attributes["url.template"]]
    .filter(Boolean)
    .join(" "),
  // Semantic conventions for HTTP: a server fails with 5xx, a client sees 4xx as a failure too.
  failed: attributes["error.type"] !== undefined || Number(attributes["http.response.status_code"] ?? 0) >= failsFrom,
});

/** Codes of gRPC that tell of a failing server (semantic conventions for RPC, server spans). */
const RPC_FAILURES: ReadonlySet<string> = new Set(["2", "4", "12", "13", "14", "15"]);
const rpc = (side: RequestSeries["side"]) => (attributes: Attributes) => ({
  side,
  name: [attributes["rpc.service"], attributes["rpc.method"]].filter(Boolean).join("/"),
  failed: attributes["error.type"] !== undefined || RPC_FAILURES.has(attributes["rpc.grpc.status_code"] ?? "0"),
});

/** Durations of requests by the OpenTelemetry semantic conventions, and how their attributes are read. */
const READERS: Readonly<Record<string, (attributes: Attributes) => RequestSeries>> = {
  "http.server.request.duration": http("answers", 500),
  "http.client.request.duration": http("makes", 400),
  "rpc.server.duration": rpc("answers"),
  "rpc.client.duration": rpc("makes"),
  "db.client.operation.duration": (attributes) => ({
    side: "makes",
    name: [attributes["db.operation.name"], attributes["db.collection.name"] ?? attributes["db.namespace"]]
      .filter(Boolean)
      .join(" "),
    failed: attributes["error.type"] !== undefined,
  }),
  "messaging.process.duration": (attributes) => ({
    side: "takes",
    name: [attributes["messaging.operation.name"], attributes["messaging.destination.name"]].filter(Boolean).join(" "),
    failed: attributes["error.type"] !== undefined,
  }),
};

/** The quantiles that are kept of a histogram, highest first, with the share of calls beyond each. */
export const KEPT_QUANTILES = [
  { suffix: ".p99", beyond: 0.01 },
  { suffix: ".p95", beyond: 0.05 },
  { suffix: ".p50", beyond: 0.5 },
] as const;

/** Metrics of requests as they are kept: their counts, and how long they took: together, and quantiles of it. */
export const REQUEST_METRICS: ReadonlySet<string> = new Set(
  Object.keys(READERS).flatMap((name) => [
    `${name}.count`,
    `${name}.sum`,
    ...KEPT_QUANTILES.map(({ suffix }) => name + suffix),
  ]),
);

/** Splits "http.route=/a, http.request.method=GET" as it stands for the instance of a series. */
export function attributesOfInstance(instance: string): Record<string, string> {
  const attributes: Record<string, string> = {};
  for (const part of instance.split(", ")) {
    const at = part.indexOf("=");
    if (at > 0) attributes[part.slice(0, at)] = part.slice(at + 1);
  }
  return attributes;
}

/** Metrics of which a component has a series where its answers are counted. */
export const ANSWER_COUNTS: readonly string[] = Object.entries(READERS).flatMap(([name, read]) =>
  read({}).side === "answers" ? `${name}.count` : [],
);

/** What a kept series says of requests; undefined where it is of something else. */
export function requestSeries(
  metric: string,
  instance: string,
): (RequestSeries & { base: string; part: string }) | undefined {
  if (!REQUEST_METRICS.has(metric)) return undefined;
  const dot = metric.lastIndexOf(".");
  const base = metric.slice(0, dot);
  const read = READERS[base]?.(attributesOfInstance(instance));
  return read?.name ? { ...read, base, part: metric.slice(dot) } : undefined;
}
