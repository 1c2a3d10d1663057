import { createSocket } from "node:dgram";
import { connect } from "node:net";
import { deflateSync, gzipSync } from "node:zlib";
import protobuf from "protobufjs/minimal.js";
import { deepJson, mutateBytes, mutateJson, mutateText, noise, NASTY } from "./mutate";
import type { Random } from "./random";
import type { Answer, Asked, Target } from "./target";

/** A way in: makes one hostile input and sends it; the answer where there is one. */
export interface Way {
  name: string;
  /** How often it is taken among those that come in by the same door. */
  share: number;
  /** Pages take longer than receivers: each door has lanes of its own. */
  door: "pages" | "receivers";
  send(target: Target, random: Random): Promise<Answer | undefined>;
}

const now = () => Date.now();
const attribute = (key: string, stringValue: string) => ({ key, value: { stringValue } });
/** A limited set of names: what is kept of each sender and series is not what is measured here. */
const resource = (random: Random) => ({
  attributes: [attribute("service.name", `shop-${random.below(20)}`), attribute("host.name", `h-${random.below(10)}`)],
});

const LOGS = (random: Random) => ({
  resourceLogs: [
    {
      resource: resource(random),
      scopeLogs: [
        {
          scope: { name: "s" },
          logRecords: [
            {
              timeUnixNano: `${now()}000000`,
              severityNumber: 9,
              body: { stringValue: `order ${random.below(9)} taken` },
              attributes: [
                attribute("k", "v"),
                { key: "n", value: { kvlistValue: { values: [attribute("a", "b")] } } },
              ],
              traceId: "0af7651916cd43dd8448eb211c80319c",
              spanId: "b7ad6b7169203331",
            },
          ],
        },
      ],
    },
  ],
});
const METRICS = (random: Random) => ({
  resourceMetrics: [
    {
      resource: resource(random),
      scopeMetrics: [
        {
          metrics: [
            { name: "a.gauge", unit: "1", gauge: { dataPoints: [{ timeUnixNano: `${now()}000000`, asDouble: 1.5 }] } },
            {
              name: "a.sum",
              sum: {
                aggregationTemporality: 2,
                isMonotonic: true,
                dataPoints: [{ startTimeUnixNano: "1", timeUnixNano: `${now()}000000`, asInt: "7" }],
              },
            },
            {
              name: "a.histogram",
              histogram: {
                aggregationTemporality: 1,
                dataPoints: [
                  {
                    timeUnixNano: `${now()}000000`,
                    count: "3",
                    sum: 6,
                    bucketCounts: ["1", "2", "0"],
                    explicitBounds: [1, 5],
                  },
                ],
              },
            },
            {
              name: "a.exponential",
              exponentialHistogram: {
                aggregationTemporality: 2,
                dataPoints: [
                  {
                    timeUnixNano: `${now()}000000`,
                    count: "3",
                    scale: 3,
                    zeroCount: "0",
                    positive: { offset: 1, bucketCounts: ["1", "2"] },
                  },
                ],
              },
            },
          ],
        },
      ],
    },
  ],
});
const SPANS = (random: Random) => ({
  resourceSpans: [
    {
      resource: resource(random),
      scopeSpans: [
        {
          spans: [
            {
              traceId: "0af7651916cd43dd8448eb211c80319c",
              spanId: noise(random, 8).toString("hex"),
              parentSpanId: "b7ad6b7169203331",
              name: "POST /orders",
              kind: 2,
              startTimeUnixNano: `${now() - 5}000000`,
              endTimeUnixNano: `${now()}000000`,
              status: { code: 2, message: "no" },
              events: [{ timeUnixNano: `${now()}000000`, name: "exception", attributes: [attribute("m", "x")] }],
            },
          ],
        },
      ],
    },
  ],
});
const PLACES = [
  ["/v1/logs", LOGS],
  ["/v1/metrics", METRICS],
  ["/v1/traces", SPANS],
] as const;

/** An ExportLogsServiceRequest in protobuf, as a start for damage; metrics and spans share its frame of fields. */
function protobufStart(random: Random): Uint8Array {
  const text = (writer: protobuf.Writer, field: number, value: string) => writer.uint32((field << 3) | 2).string(value);
  const writer = protobuf.Writer.create();
  const pair = (field: number) => {
    writer.uint32((field << 3) | 2).fork();
    text(writer, 1, "service.name");
    writer.uint32((2 << 3) | 2).fork();
    text(writer, 1, `shop-${random.below(20)}`);
    writer.ldelim();
    writer.ldelim();
  };
  writer.uint32((1 << 3) | 2).fork();
  writer.uint32((1 << 3) | 2).fork();
  pair(1);
  writer.ldelim();
  writer.uint32((2 << 3) | 2).fork();
  writer.uint32((2 << 3) | 2).fork();
  writer.uint32((1 << 3) | 1).fixed64(now() * 1e6);
  writer.uint32(2 << 3).int32(9);
  text(writer, 3, "INFO");
  writer.uint32((5 << 3) | 2).fork();
  text(writer, 1, "taken");
  writer.ldelim();
  pair(6);
  writer.ldelim();
  writer.ldelim();
  writer.ldelim();
  return writer.finish();
}

const json: Way = {
  name: "OTLP in JSON",
  door: "receivers",
  share: 30,
  send: (target, random) => {
    const [path, start] = random.pick(PLACES);
    const tree = mutateJson(random, start(random), random.pick([0.01, 0.05, 0.2]));
    const body = random.chance(0.03)
      ? deepJson(1 + random.below(60_000), random.chance(0.5))
      : random.chance(0.1)
        ? mutateText(random, JSON.stringify(tree))
        : JSON.stringify(tree);
    return target.deliver({ path, headers: { "content-type": "application/json" }, body });
  },
};

const protobufWay: Way = {
  name: "OTLP in protobuf",
  door: "receivers",
  share: 30,
  send: (target, random) =>
    target.deliver({
      path: random.pick(PLACES)[0],
      headers: { "content-type": "application/x-protobuf" },
      body: mutateBytes(random, protobufStart(random)),
    }),
};

const packed: Way = {
  name: "gzip and deflate",
  door: "receivers",
  share: 6,
  send: (target, random) => {
    const plain = Buffer.from(JSON.stringify(mutateJson(random, LOGS(random))));
    const bomb = random.chance(0.002) ? Buffer.alloc(70 * 1024 * 1024) : plain;
    const bytes = random.chance(0.5) ? gzipSync(bomb, { level: 1 }) : deflateSync(bomb, { level: 1 });
    return target.deliver({
      path: "/v1/logs",
      headers: {
        "content-type": "application/json",
        "content-encoding": random.pick(["gzip", "deflate", "br", "gzip, gzip"]),
      },
      body: random.chance(0.6) ? mutateBytes(random, bytes) : bytes,
    });
  },
};

const events: Way = {
  name: "CloudEvents",
  door: "receivers",
  share: 6,
  send: (target, random) => {
    const event = {
      specversion: "1.0",
      id: String(random.below(1e9)),
      source: `/ci/${random.below(5)}`,
      type: "example.deployment.finished",
      time: new Date().toISOString(),
      data: { component: "shop", who: "Anna" },
    };
    const batch = random.chance(0.3);
    const tree = mutateJson(random, batch ? [event, event] : event, 0.1);
    return target.deliver({
      path: "/events",
      headers: { "content-type": `application/cloudevents${batch ? "-batch" : ""}+json` },
      body: random.chance(0.1) ? mutateText(random, JSON.stringify(tree)) : JSON.stringify(tree),
    });
  },
};

const INVENTORY = (random: Random) => ({
  hostName: random.chance(0.9) ? "fuzz-01" : "vault-01",
  hostId: "",
  everySeconds: 60,
  [random.chance(0.7) ? "system" : "tables"]: {
    description: "A Linux",
    processors: 2,
    memory: { totalBytes: 2 ** 30, usedBytes: 2 ** 29 },
    disks: [{ mount: "/", sizeBytes: 2 ** 32, usedBytes: 2 ** 30 }],
    interfaces: [{ name: "eth0", physAddress: "02:5e:00:00:00:01", up: true, speedMbps: 1000 }],
    addresses: ["198.51.100.7", "2001:db8::7"],
    packages: [{ name: "cached", version: "1.2" }],
    uuid: "abcdef00-0000-0000-0000-000000000001",
    serial: "",
    model: "",
    software: [{ pid: 40, name: "cached", path: "/usr/bin/cached", parameters: "--x", parent: 1, user: "cache" }],
    listeners: [{ address: "::", port: 1 + random.below(65_535), pid: 40 }],
    connections: [
      { localAddress: "198.51.100.7", localPort: 40000, remoteAddress: "198.51.100.9", remotePort: 5432, pid: 40 },
    ],
  },
});
const inventories: Way = {
  name: "what agents say runs",
  door: "receivers",
  share: 3,
  send: (target, random) => {
    const plain = random.chance(0.1)
      ? mutateText(random, JSON.stringify(INVENTORY(random)))
      : JSON.stringify(mutateJson(random, INVENTORY(random), random.pick([0.01, 0.05, 0.2])));
    const packs = random.chance(0.5);
    return target.deliver({
      path: "/inventory",
      headers: {
        "content-type": "application/json",
        ...(packs ? { "content-encoding": "gzip" } : {}),
        ...(random.chance(0.9) ? { authorization: `Bearer ${target.agentToken}` } : {}),
      },
      body: packs ? gzipSync(plain, { level: 1 }) : plain,
    });
  },
};

const udp = createSocket("udp4");
udp.unref();
const SYSLOG = [
  '<165>1 2026-03-17T10:00:00Z h-1 linkd 7 - [port@32473 name="eth0"] link down',
  "<34>Mar 17 10:00:00 h-1 su[12]: failed",
];
const syslog: Way = {
  name: "syslog",
  door: "receivers",
  share: 24,
  send: (target, random) =>
    new Promise((done) => {
      const line = random.chance(0.3)
        ? mutateBytes(random, Buffer.from(random.pick(SYSLOG)))
        : Buffer.from(mutateText(random, random.pick(SYSLOG)));
      if (random.chance(0.97))
        return udp.send(line.subarray(0, 60_000), target.syslogPort, "127.0.0.1", () => done(undefined));
      const socket = connect(target.syslogPort, "127.0.0.1");
      socket.on("error", () => done(undefined));
      socket.on("close", () => done(undefined));
      socket.end(
        Buffer.concat([Buffer.from(random.pick(["", "5 ", "99999999 ", "-1 ", "007 "])), line, Buffer.from("\n")]),
      );
      socket.setTimeout(1000, () => socket.destroy());
    }),
};

const PAGES = [
  ["/", []],
  ["/estate", ["page", "size", "sort", "q", "kind", "site", "health", "down"]],
  ["/estate/1", ["over"]],
  [
    "/map",
    ["service", "site", "around", "collection", "a", "b", "up", "down", "by", "open", "only", "find", "show", "view"],
  ],
  ["/map.svg", ["service", "by", "open", "find"]],
  ["/map.graphml", ["by", "open"]],
  ["/map/what-if", ["fail"]],
  ["/estate/changes", ["q", "kind", "standing"]],
  ["/estate/changes.csv", ["q", "kind", "standing"]],
  ["/discover", []],
  ["/discover/sweeps/1", ["outcome", "page"]],
  ["/services/x", []],
  ["/signals/metrics", ["line", "over", "view", "low", "high"]],
  ["/signals/metrics.csv", ["line", "over"]],
  ["/signals/logs", ["q", "level", "view", "pattern", "service", "component", "new", "after"]],
  ["/signals/traces", ["q", "operation", "least", "most", "failed", "compare"]],
  ["/signals/sql", ["q"]],
  ["/signals/sql.csv", ["q"]],
  ["/signals/choices", ["q"]],
  ["/find", ["q"]],
  ["/incidents", ["state", "q", "with", "service", "order"]],
  ["/incidents.csv", ["state", "q", "with", "service", "order"]],
  ["/incidents/triage", ["service", "component", "at"]],
  ["/incidents/shift", ["hours", "at"]],
  ["/incidents/1/report/md", ["x"]],
  ["/incidents/1/report/constructor", ["x"]],
  ["/runbooks/1", ["target", "incident"]],
  ["/setup/rules/new", ["type", "kind"]],
  ["/setup/audit", ["q", "area", "outcome", "page"]],
  ["/setup/credentials/new", ["kind"]],
  ["/join", ["code"]],
  ["/series/1/figures.csv", []],
] as const;
const WINDOW = ["from", "to", "last", "span"];
const value = (random: Random): string =>
  random.pick<string>([
    ...NASTY.map((one) => (typeof one === "string" ? one.slice(0, 1500) : String(JSON.stringify(one) ?? ""))),
    "2026-03-17T10:00:00Z",
    "PT1H",
    "P9999D",
    "metric~memory.used%3Bpick~highest",
    "SELECT * FROM components",
    "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i+1 FROM n LIMIT 10) SELECT * FROM n",
    "1",
    "999999999999",
  ]);
/** Addresses that the questions come from: each has a limit of its own. */
const from = (random: Random) => `127.9.${random.below(4)}.${1 + random.below(250)}`;

const queries: Way = {
  name: "query strings",
  door: "pages",
  share: 2,
  send: (target, random) => {
    const [path, own] = random.pick(PAGES);
    const params = [...own, ...WINDOW]
      .filter(() => random.chance(0.5))
      .map(
        (name) =>
          `${name}=${random.chance(0.9) ? encodeURIComponent(value(random).replaceAll(/[\ud800-\udfff]/g, "x")) : "%ff%"}`,
      );
    const place = random.chance(0.1) ? path.replace("1", random.pick(["0", "-1", "1e9", "%00", "..%2f", "x"])) : path;
    return target.ask({ path: `${place}${random.chance(0.2) ? ".data" : ""}?${params.join("&")}`, from: from(random) });
  },
};

const FORMS: readonly (readonly [string, readonly string[]])[] = [
  [
    "/discover/sources/new",
    ["kind", "name", "site", "ranges", "ports", "snmpPort", "credential", "credentials", "pollSeconds", "intent"],
  ],
  ["/setup/rules/new", ["name", "type", "scope", "metric", "direction", "critical", "samples", "hysteresis", "intent"]],
  ["/setup/signals", ["what", "attribute", "pattern", "componentId", "id", "url", "everySeconds", "raw", "authority"]],
  ["/setup/credentials/new", ["kind", "name", "user", "password", "privateKey", "destinations", "at", "intent"]],
  ["/setup/people", ["what", "role", "name", "id"]],
  ["/setup/tokens", ["what", "name", "kind", "days", "hosts", "senders", "logs"]],
  ["/account", ["what", "now", "id"]],
  ["/evidence", ["intent", "kind", "title", "address", "fromMs", "toMs", "incidentId", "id"]],
  [
    "/incidents/1",
    ["intent", "text", "alarmId", "to", "remark", "waitingFor", "priority", "reason", "cause", "into", "alarms"],
  ],
  ["/setup/drills", ["intent", "pace", "id"]],
  ["/runbooks/1", ["componentId", "incidentId", "process"]],
  ["/signals/sql", ["intent", "name", "sql", "id"]],
  ["/signals/import/rows", ["file", "componentId", "series"]],
  ["/join?code=x", ["name", "signIn", "password"]],
  ["/sign-in", ["way", "accountId"]],
];
const WORDS = [
  "save",
  "test",
  "create",
  "invite",
  "endpoint",
  "rule",
  "retention",
  "range",
  "threshold",
  "pin",
  "note",
  "10.255.255.0/30",
  "kind:host.*",
  "reader",
  "demo",
];
const forms: Way = {
  name: "forms",
  door: "pages",
  share: 1.5,
  send: (target, random) => {
    const [path, names] = random.pick(FORMS);
    const fields = names
      .filter(() => random.chance(0.8))
      .map((name) => [name, random.chance(0.5) ? random.pick(WORDS) : value(random)] as [string, string]);
    const headers: Record<string, string> = {
      "content-type": random.pick([
        "application/x-www-form-urlencoded",
        "application/json",
        "multipart/form-data; boundary=x",
        "text/plain",
      ]),
    };
    const body = headers["content-type"]?.includes("json")
      ? JSON.stringify(mutateJson(random, Object.fromEntries(fields), 0.2))
      : headers["content-type"]?.startsWith("multipart")
        ? mutateText(random, `--x\r\nContent-Disposition: form-data; name="name"\r\n\r\nv\r\n--x--\r\n`)
        : new URLSearchParams(fields).toString();
    return target.ask({
      path: `${path}${random.chance(0.2) ? ".data" : ""}`,
      method: "POST",
      headers,
      body,
      from: from(random),
    });
  },
};

const CSV = "Time,Wind (m/s),Gusts\n2026-03-17 10:00,12.5,7\n2026-03-17 10:01,13,8\n";
const csv: Way = {
  name: "rows of CSV files",
  door: "pages",
  share: 0.5,
  send: (target, random) => {
    const text = mutateText(random, mutateText(random, CSV));
    const series = text.split("\n").map((row) => row.split(","));
    const tree = {
      file: "a.csv",
      componentId: null,
      series: [
        {
          metric: "wind",
          instance: "",
          unit: "m/s",
          times: series.map(([at]) => Date.parse(at ?? "")),
          values: series.map((row) => Number(row[1])),
        },
      ],
    };
    return target.ask({
      path: "/signals/import/rows",
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(mutateJson(random, tree, 0.1)),
      from: from(random),
    });
  },
};

const METHODS = ["TRACE", "OPTIONS", "PUT", "DELETE", "PATCH", "PROPFIND", "HEAD", "GET"];
const odd: Way = {
  name: "odd requests",
  door: "pages",
  share: 0.5,
  send: (target, random) => {
    const asked: Asked = {
      path: random.pick([
        "/%ff",
        "/..%2f..%2fetc/passwd",
        `/${"a/".repeat(500)}`,
        "//evil.example/",
        "/assets/../../x",
        "/live",
        "/%00",
        "/estate/%2e%2e",
      ]),
      method: random.pick(METHODS),
      headers: random.chance(0.5)
        ? {
            [random.pick(["x-forwarded-for", "range", "if-none-match", "accept", "cookie", "authorization"])]: value(
              random,
            )
              .replaceAll(/[^\x20-\x7e]/g, "?")
              .slice(0, 4000),
          }
        : {},
      from: from(random),
    };
    return random.chance(0.5) ? target.ask(asked) : target.deliver(asked);
  },
};

export const WAYS: readonly Way[] = [json, protobufWay, packed, events, inventories, syslog, queries, forms, csv, odd];
