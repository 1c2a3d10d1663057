import { z } from "zod";
import { count, duration, name, share } from "./words";

export const rhythm = z.union([
  z.strictObject({
    /** Level of each hour of the day, UTC, 24 numbers. */
    hours: z.array(share).length(24),
    /** Factor of each weekday, Monday first. */
    weekdays: z.array(share).length(7),
  }),
  z.strictObject({ tide: z.strictObject({ periodHours: z.number().min(1).max(100), depth: share }) }),
]);

const listener = z.strictObject({
  port: z.number().int().min(1024).max(65_535),
  /** What the port says: an HTTP answer, a line on connecting, or nothing until it is spoken to. */
  speaks: z.enum(["http", "banner", "silent"]),
  title: z.string().max(80).optional(),
  /** It speaks TLS, with a certificate that ends so many days after the estate's first instant. */
  certificateDays: z.number().int().min(-3650).max(3650).optional(),
  banner: z.string().max(120).optional(),
});

/** A pool of connections to the instances of another process. */
const talk = z.strictObject({
  /** Role whose hosts are called. */
  role: name,
  process: z.string().min(1).max(40),
  /** Calls that can be under way at once; as many connections are open. */
  connections: count.max(200).default(2),
  /** All hosts of the role, or only those at the same site (all of them where the site has none). */
  reach: z.enum(["all", "same-site"]).default("all"),
  timeoutMs: z.number().min(10).max(120_000).default(2000),
  /** Further attempts after one that failed. */
  retries: z.number().int().min(0).max(10).default(0),
  backoffMs: z.number().min(0).max(60_000).default(100),
  /** What the caller does when all attempts failed. */
  onFail: z.enum(["fail", "go-on", "keep"]).default("fail"),
  /** Whether it looks at the certificate of the other side. */
  tls: z.boolean().default(false),
});

const call = z.strictObject({
  /** Process of a pool of `talksTo`. */
  to: z.string().min(1).max(40),
  operation: z.string().min(1).max(80),
  /** Calls for each request, on average. */
  times: z.number().min(0.001).max(1000).default(1),
  /** Queue that what is handed over waits in. */
  queue: name.optional(),
});

const operation = z.strictObject({
  /** "GET /slots" for HTTP, anything short for others. */
  name: z.string().min(1).max(80),
  /** Processor time, time at the disk, and time at rest, of one request on an idle machine. */
  cpuMs: z.number().min(0).max(600_000).default(1),
  diskMs: z.number().min(0).max(600_000).default(0),
  restMs: z.number().min(0).max(600_000).default(0),
  /** Written to the disk of the process. */
  writeKiB: z.number().min(0).max(10_000_000).default(0),
  /** Sent and received, both ways together. */
  carriesKiB: z.number().min(0).max(1_000_000).default(4),
  failPercent: z.number().min(0).max(100).default(0.05),
  /** Standard deviation of the service time over its mean. */
  variation: z.number().min(0).max(10).default(0.8),
  /** Whether it looks at the time that a caller says it is. */
  checksClock: z.boolean().default(false),
  calls: z.array(call).max(20).default([]),
});

const processSchema = z.strictObject({
  name: z.string().regex(/^[a-z][a-z0-9-]{0,30}$/),
  version: z.string().max(20).default("1.0.0"),
  parameters: z.string().max(120).default(""),
  memoryMiB: z.number().min(1).max(1_000_000),
  /** Share of one core at full rhythm, beside what its operations use. */
  cpu: z.number().min(0).max(64).default(0.02),
  /** Requests it works on at once, and how many may wait beyond them. */
  workers: count.max(10_000).default(32),
  queue: z.number().int().min(0).max(1_000_000).default(400),
  /** Connections it lets in; more are refused. */
  mostConnections: count.max(100_000).optional(),
  /** Held by each request that is under way or waits. */
  requestKiB: z.number().min(0).max(1_000_000).default(256),
  /** Mount that its data is on. */
  data: z.string().max(40).optional(),
  listens: z.array(listener).max(10).default([]),
  talksTo: z.array(talk).max(20).default([]),
  operations: z.array(operation).max(20).default([]),
  /** Whether it sends spans and metrics of its own; those that speak HTTP or take from a queue do unless this says otherwise. */
  instrumented: z.boolean().optional(),
});

const container = z.strictObject({
  name,
  image: z.string().max(80).default(""),
  /** Process of the host that runs in it; its processor time and memory are then those of that process. */
  process: z.string().max(40).optional(),
  /** Processors wanted at full rhythm, and those its quota allows. */
  cpu: z.number().min(0).max(64).default(0),
  cpuLimit: z.number().min(0.01).max(64),
  memoryMiB: z.number().min(1).max(1_000_000).default(64),
  memoryLimitMiB: z.number().min(1).max(1_000_000),
});

export const role = z.strictObject({
  system: z.enum(["linux", "switch", "hypervisor"]),
  rhythm: name,
  cores: count.max(128),
  memoryGiB: z.number().min(0.1).max(4096),
  /** Percent of processor at no rhythm and at full rhythm, beside what its processes use. */
  cpu: z.tuple([z.number().min(0).max(100), z.number().min(0).max(100)]).default([1, 3]),
  disks: z
    .array(
      z.strictObject({
        mount: z.string().min(1).max(40),
        sizeGiB: z.number().min(1),
        usedPercent: z.number().min(0).max(99),
        /** Grows by that much of its size in a day, beside what is written by operations and kept. */
        growPercentPerDay: z.number().min(0).max(50).default(0.04),
        /** Requests it serves a second. */
        perSecond: z.number().min(1).max(10_000_000).default(4000),
      }),
    )
    .max(10)
    .default([]),
  /** Megabits a second at full rhythm on the first interface, beside what its processes carry. */
  trafficMbps: z.number().min(0).max(100_000).default(2),
  processes: z.array(processSchema).max(30).default([]),
  /** Whether the host agent runs there; it tells of the containers too. */
  agent: z.boolean().default(false),
  containers: z.array(container).max(50).default([]),
});

export const host = z.strictObject({
  name,
  role: name,
  site: name,
  address: z.string(),
  /** How long before the present it was put in; always there when left out. */
  since: duration.optional(),
  /** It waits, switched off, for an effect that puts it in. */
  spare: z.boolean().default(false),
  /** The hypervisor it is a virtual machine of. */
  on: name.optional(),
  /** Hosts of one cell call each other, and every cell has the whole load from outside. */
  cell: count.default(1),
});

/** Requests from outside: what everything in the estate is for. */
export const load = z.strictObject({
  name,
  to: z.strictObject({ role: name, process: z.string(), operation: z.string() }),
  rhythm: name,
  /** Requests an hour at no rhythm and at full rhythm, for all instances together. */
  perHour: z.tuple([z.number().min(0), z.number().min(0).max(100_000_000)]),
  /** People at desks wait for the answer before they ask again; everybody else comes regardless. */
  by: z.enum(["anybody", "partners", "devices", "desks"]).default("anybody"),
  timeoutSeconds: z.number().min(0.1).max(600).default(20),
  retries: z.number().int().min(0).max(10).default(0),
  /** The service that this is the use of, by its name. */
  service: z.string().max(60).optional(),
  /** Desk: seconds between an answer and the next request. */
  thinkSeconds: z.number().min(1).max(3600).default(20),
});

/** Messages handed over by one process and taken up by others when they can. */
export const queue = z.strictObject({
  name,
  broker: z.string().min(1).max(40),
  /** Who takes them up: every host of the role that can reach the broker. */
  consumer: z.strictObject({ role: name, process: z.string(), operation: z.string() }),
});

export const job = z.strictObject({
  name,
  host: name,
  process: z.string(),
  /** UTC, "02:15". */
  at: z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, "write the hour as HH:MM"),
  /** 1 Monday to 7 Sunday; every day when left out. */
  days: z.array(z.number().int().min(1).max(7)).max(7).optional(),
  rows: count.max(1_000_000_000),
  rowsPerSecond: z.number().min(0.01).max(1_000_000),
  /** Processors, and share of the disk of its process, while it runs. */
  cores: z.number().min(0).max(128).default(0.2),
  diskShare: share.default(0),
  megabytesPerSecond: z.number().min(0).max(100_000).default(0),
  /** Called once for so many rows. */
  calls: z
    .array(
      z.strictObject({
        to: z.string(),
        operation: z.string(),
        everyRows: z.number().min(1).max(1_000_000).default(1),
      }),
    )
    .max(8)
    .default([]),
});

export const figure = z.strictObject({
  /** OpenMetrics name. */
  metric: z.string().regex(/^[a-z_][a-z0-9_]{2,60}$/),
  help: z.string().max(120),
  host: name,
  port: z.number().int(),
  /** Share of the value that it wanders by. */
  wander: share.default(0.02),
  /** Requests that succeeded, of this process and operation, over all hosts. */
  counts: z
    .strictObject({
      process: z.string(),
      operation: z.string(),
      per: z.enum(["hour", "minute"]).default("hour"),
      times: z.number().min(0).max(1_000_000).default(1),
      minutes: z.number().min(1).max(240).default(10),
    })
    .optional(),
  /** Messages waiting in a queue. */
  waiting: name.optional(),
  /** Mean response of an operation over all hosts, in seconds, times a factor. */
  lasts: z.strictObject({ process: z.string(), operation: z.string(), times: z.number().min(0).default(1) }).optional(),
  /** A level that follows a rhythm. */
  rhythm: name.optional(),
  low: z.number().default(0),
  high: z.number().default(0),
});
