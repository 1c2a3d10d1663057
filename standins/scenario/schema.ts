import { z } from "zod";
import { parseDurationMs } from "#core/time/windows";

export const name = z
  .string()
  .regex(/^[a-z][a-z0-9-]{0,40}$/, "use small letters, digits and hyphens, starting with a letter");
const duration = z
  .string()
  .refine((text) => parseDurationMs(text) !== undefined, "write an ISO 8601 duration such as P2DT3H or PT40M");
const share = z.number().min(0).max(1);
const count = z.number().int().min(1);
const sentence = z.string().min(1).max(400);

const rhythm = z.union([
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
  /** Whether it sends spans and metrics of its own; those that speak HTTP do unless this says otherwise. */
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

const role = z.strictObject({
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

const host = z.strictObject({
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
const load = z.strictObject({
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
const queue = z.strictObject({
  name,
  broker: z.string().min(1).max(40),
  /** Who takes them up: every host of the role that can reach the broker. */
  consumer: z.strictObject({ role: name, process: z.string(), operation: z.string() }),
});

const job = z.strictObject({
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

const figure = z.strictObject({
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

const cloudPlace = { name, region: name, tags: z.record(z.string().max(60), z.string().max(120)).default({}) };

/** A cloud that some of the machines are rented from, with an interface of its own shape. */
const cloud = z.strictObject({
  name,
  title: z.string().max(60),
  shape: z.enum(["altoform", "veldtline"]),
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  account: z.strictObject({ id: z.string().max(60), name: z.string().max(60) }),
  /** What those who may read it sign in with. */
  reader: z.strictObject({ id: z.string().max(60), secret: z.string().max(120) }),
  /** Requests it answers in a minute before it says no. */
  perMinute: z.number().int().min(1).default(3000),
  regions: z
    .array(z.strictObject({ id: name, name: z.string().max(60), zones: z.array(name).min(1).max(6) }))
    .min(1)
    .max(20),
  /** Hosts of the estate that are instances there. */
  instances: z
    .array(
      z.strictObject({
        host: name,
        region: name,
        zone: name,
        size: z.string().max(40),
        image: z.string().max(60),
        tags: z.record(z.string().max(60), z.string().max(120)).default({}),
      }),
    )
    .max(200),
  /** In front of a process on the instances of a role. */
  balancers: z
    .array(z.strictObject({ ...cloudPlace, role: name, process: z.string(), port: z.number().int() }))
    .max(40)
    .default([]),
  buckets: z
    .array(
      z.strictObject({
        ...cloudPlace,
        sizeGiB: z.number().min(0),
        growGiBPerDay: z.number().min(0).default(0),
        /** Requests follow this process and operation. */
        process: z.string().optional(),
        operation: z.string().optional(),
      }),
    )
    .max(60)
    .default([]),
  databases: z
    .array(
      z.strictObject({
        ...cloudPlace,
        engine: z.string().max(40),
        size: z.string().max(40),
        storageGiB: z.number().min(1),
        usedPercent: z.number().min(0).max(100),
        process: z.string().optional(),
        operation: z.string().optional(),
      }),
    )
    .max(60)
    .default([]),
  functions: z
    .array(
      z.strictObject({
        ...cloudPlace,
        runtime: z.string().max(40),
        process: z.string(),
        operation: z.string(),
        memoryMiB: z.number().min(64),
      }),
    )
    .max(60)
    .default([]),
  networks: z
    .array(z.strictObject({ ...cloudPlace, block: z.string().max(60) }))
    .max(40)
    .default([]),
  /** What it charges in, less what was agreed, and days that cost a multiple: of a resource, counted from the present back. */
  charges: z
    .strictObject({
      currency: z.string().regex(/^[A-Z]{3}$/),
      discount: z.number().min(0).max(0.9).default(0),
      surprises: z
        .array(
          z.strictObject({
            of: z.string().max(80),
            daysBefore: z.number().int().min(1).max(400),
            days: z.number().int().min(1).max(60),
            times: z.number().min(0).max(1000),
          }),
        )
        .max(20)
        .default([]),
    })
    .default({ currency: "EUR", discount: 0, surprises: [] }),
  /** Further instances without anything in them, for trying how it goes with many. */
  more: z.number().int().min(0).max(20_000).default(0),
});

/** A private cloud on some of the hypervisors, with the open interfaces of such clouds. */
const privateCloud = z.strictObject({
  name,
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  project: z.string().max(60),
  user: z.string().max(60),
  password: z.string().max(120),
  regions: z
    .array(z.strictObject({ id: name, hypervisors: z.array(name).min(1).max(100) }))
    .min(1)
    .max(20),
  /** Further instances without anything in them, for trying how it goes with many. */
  more: z.number().int().min(0).max(20_000).default(0),
});

/** A manager of some hypervisors, with an interface of its own shape. */
const manager = z.strictObject({
  name,
  title: z.string().max(60),
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  key: z.string().max(120),
  clusters: z
    .array(z.strictObject({ id: name, name: z.string().max(60), hypervisors: z.array(name).min(1).max(100) }))
    .min(1)
    .max(20),
});

/** A container cluster on some of the machines, with its own interface. */
const cluster = z.strictObject({
  name,
  title: z.string().max(60),
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  token: z.string().min(8).max(400),
  /** Name space that its containers are in. */
  space: name,
  /** Hosts that are its nodes; their containers are its pods. */
  nodes: z.array(name).min(1).max(100),
  /** Containers of which one runs on each node. */
  daemons: z.array(name).max(20).default([]),
  /** A job that is started again and again. */
  job: z
    .strictObject({
      name,
      image: z.string().max(80),
      everyMinutes: z.number().int().min(1),
      lastsSeconds: z.number().int().min(1),
    })
    .optional(),
  /** Further pods without anything in them, and how many of them change in a second, for trying how it goes with many. */
  more: z.number().int().min(0).max(50_000).default(0),
  churnPerSecond: z.number().min(0).max(1000).default(0),
});

/** The management controller of a machine. */
const controller = z.strictObject({
  host: name,
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  user: z.string().min(1).max(60),
  password: z.string().min(1).max(120),
});

const where = {
  host: name.optional(),
  /** Every host of the role. */
  role: name.optional(),
  process: z.string().max(40).optional(),
};
const ramp = {
  /** After the beginning of the fault. */
  afterSeconds: z.number().min(0).max(864_000).default(0),
  /** Time until full effect. */
  riseSeconds: z.number().min(0).max(864_000).default(0),
  /** It goes away by itself after so long. */
  lastsSeconds: z.number().min(1).max(8_640_000).optional(),
  /** It comes and goes: on for the first half of every period. */
  periodSeconds: z.number().min(2).max(864_000).optional(),
};
const percent = z.number().min(0).max(100);
const onProcess = { ...where, process: z.string().max(40), ...ramp };
const onHost = { host: name.optional(), role: name.optional(), ...ramp };

/** What a fault does, in terms of the world: nothing here names a symptom. */
const effect = z.discriminatedUnion("what", [
  /** Memory that is never given back, until the host is that full. */
  z.strictObject({ what: z.literal("leak"), ...onProcess, toPercent: z.number().min(1).max(130) }),
  /** Threads that run in a loop. */
  z.strictObject({ what: z.literal("spin"), ...onProcess, threads: z.number().min(0.1).max(512) }),
  /** Work takes longer; of one operation where it is named. */
  z.strictObject({
    what: z.literal("slower"),
    ...onProcess,
    operation: z.string().max(80).optional(),
    times: z.number().min(0.01).max(1000),
    /** What of it takes longer. */
    part: z.enum(["all", "cpu", "disk", "rest"]).default("all"),
  }),
  z.strictObject({
    what: z.literal("errors"),
    ...onProcess,
    operation: z.string().max(80).optional(),
    percent,
    /** What the answer says. */
    says: z.string().max(120).default("internal error"),
  }),
  z.strictObject({ what: z.literal("fewer-workers"), ...onProcess, to: z.number().min(0).max(10_000) }),
  /** Everything that writes waits for one that holds a lock. */
  z.strictObject({
    what: z.literal("lock"),
    ...onProcess,
    operation: z.string().max(80).optional(),
    ms: z.number().min(1).max(600_000),
  }),
  z.strictObject({ what: z.literal("connection-limit"), ...onProcess, to: count.max(100_000) }),
  /** Connections of a pool that are left: others were never given back. */
  z.strictObject({ what: z.literal("pool"), ...onProcess, target: z.string().max(40), to: z.number().min(0).max(200) }),
  z.strictObject({ what: z.literal("stop"), ...onProcess }),
  z.strictObject({
    what: z.literal("crash-loop"),
    ...onProcess,
    upSeconds: z.number().min(1).max(86_400),
    downSeconds: z.number().min(1).max(86_400),
  }),
  /** It takes nothing more from its queue, and looks well. */
  z.strictObject({ what: z.literal("stuck"), ...onProcess }),
  z.strictObject({ what: z.literal("expired-certificate"), ...onProcess }),
  z.strictObject({ what: z.literal("version"), ...onProcess, version: z.string().max(20) }),
  z.strictObject({ what: z.literal("fill"), ...onHost, mount: z.string().max(40), toPercent: percent }),
  z.strictObject({
    what: z.literal("slow-disk"),
    ...onHost,
    mount: z.string().max(40),
    times: z.number().min(1).max(10_000),
  }),
  z.strictObject({ what: z.literal("power"), ...onHost }),
  z.strictObject({ what: z.literal("drift"), ...onHost, seconds: z.number().min(-86_400).max(86_400) }),
  /** A machine takes the processors of its hypervisor. */
  z.strictObject({ what: z.literal("hog"), ...onHost, threads: z.number().min(1).max(512) }),
  /** A spare host is put in. */
  z.strictObject({ what: z.literal("put-in"), ...onHost }),
  /** A host cannot reach hosts of a role: something between them refuses it. */
  z.strictObject({ what: z.literal("closed-to"), ...onHost, target: name }),
  z.strictObject({
    what: z.literal("link"),
    ...ramp,
    /** A host, or two sites. */
    host: name.optional(),
    between: z.tuple([name, name]).optional(),
    lossPercent: percent.default(0),
    delayMs: z.number().min(0).max(60_000).default(0),
    cut: z.boolean().default(false),
    /** Of its capacity that is left. */
    capacityPercent: percent.default(100),
  }),
  /** A virtual machine is given another size: so many processors. */
  z.strictObject({ what: z.literal("resize"), ...onHost, cores: z.number().int().min(1).max(256) }),
  z.strictObject({
    what: z.literal("quota"),
    ...onHost,
    container: name,
    cpu: z.number().min(0.01).max(64).optional(),
    memoryMiB: z.number().min(1).max(1_000_000).optional(),
  }),
  z.strictObject({ what: z.literal("load"), ...ramp, load: name, times: z.number().min(0).max(1000) }),
  /** A job runs now, however it stands in the calendar. */
  z.strictObject({ what: z.literal("job"), ...ramp, job: name }),
  /** Once, as somebody would do it on purpose. */
  z.strictObject({ what: z.literal("restart"), ...onProcess, awaySeconds: z.number().min(1).max(3600).default(4) }),
  z.strictObject({ what: z.literal("cache"), ...onHost, toPercent: percent }),
  /** Lines of a process come so many times as often. */
  z.strictObject({
    what: z.literal("chatter"),
    ...onProcess,
    text: z.string().min(1).max(300),
    perHour: z.number().min(1).max(36_000),
  }),
]);

/** Something a person or a runbook does on a host, over SSH or HTTP, that ends a fault. */
const repair = z.discriminatedUnion("do", [
  z.strictObject({ do: z.literal("restart"), host: name, process: z.string() }),
  z.strictObject({ do: z.literal("stop"), host: name, process: z.string() }),
  z.strictObject({ do: z.literal("rotate"), host: name, mount: z.string() }),
  z.strictObject({ do: z.literal("roll-back"), host: name, process: z.string() }),
  z.strictObject({ do: z.literal("set"), host: name, process: z.string(), setting: name }),
  z.strictObject({ do: z.literal("renew-certificate"), host: name, process: z.string() }),
  z.strictObject({ do: z.literal("set-clock"), host: name }),
  z.strictObject({ do: z.literal("power-on"), host: name }),
  z.strictObject({ do: z.literal("mend-link"), host: name.optional(), between: z.tuple([name, name]).optional() }),
  z.strictObject({ do: z.literal("open"), host: name }),
  z.strictObject({ do: z.literal("take-out"), host: name }),
  z.strictObject({ do: z.literal("pool"), host: name, process: z.string(), target: z.string().max(40) }),
  z.strictObject({ do: z.literal("quota"), host: name, container: name }),
  z.strictObject({ do: z.literal("resize"), host: name }),
  z.strictObject({ do: z.literal("replace-disk"), host: name, mount: z.string() }),
]);

const change = z.strictObject({
  what: z.enum(["release", "setting", "scale-out", "work"]),
  host: name,
  process: z.string().optional(),
  text: z.string().min(1).max(200),
  by: z.string().max(60),
  ticket: z.string().max(40).optional(),
  /** Name of the setting that was changed. */
  setting: z.string().max(60).optional(),
});

const fault = z.strictObject({
  id: name,
  title: z.string().min(1).max(80),
  story: sentence,
  effects: z.array(effect).min(1).max(12),
  change: change.optional(),
  /** The known answer in words. */
  cause: z.string().min(1).max(200),
  repair: z.string().min(1).max(200),
  /** What ends it; any one of them. Ended with the drill where there is none. */
  endedBy: z.array(repair).max(6).default([]),
});

/** A ticket of planned work in the past, with its window. */
const plannedTicket = z.strictObject({
  ref: z.string().min(1).max(40),
  title: z.string().min(1).max(200),
  person: z.string().max(60),
  things: z.array(z.string().min(1).max(80)).max(20),
  before: duration,
  lasts: duration,
});

/** A thing in the estate that an answer names: a host, a process of a host, a link, or a region or network of a platform. */
const thing = z.strictObject({
  platform: z.string().min(1).max(80).optional(),
  host: name.optional(),
  process: z.string().optional(),
  between: z.tuple([name, name]).optional(),
});

const drill = z.strictObject({
  id: name,
  title: z.string().min(1).max(80),
  story: sentence,
  group: z.string().max(40).default(""),
  /** It only shows where there is much to do: run in the busy hours of the day. */
  busy: z.boolean().default(false),
  faults: z.array(z.strictObject({ fault: name, afterSeconds: z.number().min(0).max(86_400).default(0) })).max(4),
  /** What goes on beside and is nothing wrong, and what is told of it. */
  benign: z.array(effect).max(8).default([]),
  changes: z.array(change).max(4).default([]),
  answer: z.strictObject({
    /** Each root with the things that count as having named it. */
    roots: z.array(z.array(thing).min(1).max(6)).max(4),
    degraded: z.array(z.string().max(60)).max(20).default([]),
    down: z.array(z.string().max(60)).max(20).default([]),
    incidents: z.number().int().min(0).max(4),
    /** Within which a person should have been told. */
    noticedWithinSeconds: z.number().min(10).max(86_400).default(300),
  }),
});

/** What a process, or every switch, says in its log. */
const output = z.strictObject({
  lines: z
    .array(
      z.strictObject({
        /** Text with {number}, {id}, {address} or the name of a word list in braces. */
        text: z.string().min(1).max(300),
        severity: z.enum(["debug", "info", "notice", "warning", "error", "critical"]).default("info"),
        /** At full rhythm; with `during` and `when` at full effect. */
        perHour: z.number().min(0.001).max(3600),
        /** Said only where this fault is at work. */
        during: name.optional(),
        /** Said only while something is wrong as this process sees it. */
        when: z
          .strictObject({
            is: z.enum(["slow", "failing", "refusing", "no-room", "no-memory", "waiting"]),
            /** Of a process that it calls; of itself when left out. */
            of: z.string().optional(),
          })
          .optional(),
        /** Said only from this version of the process on. */
        fromVersion: z.string().max(20).optional(),
      }),
    )
    .max(40)
    .default([]),
});

const past = z.strictObject({ fault: name, before: duration, lasts: duration });
const upgrade = z.strictObject({ host: name, process: z.string(), version: z.string().max(20), before: duration });

export const scenarioSchema = z.strictObject({
  name: z.string().min(1).max(80),
  /** What its machines say of themselves. */
  organisation: z.strictObject({ domain: z.string().regex(/^[a-z0-9.-]{3,60}$/), maker: z.string().min(1).max(40) }),
  seed: z.number().int(),
  snmpPort: z.number().int().min(1024).max(65_535),
  sshPort: z.number().int().min(1024).max(65_535),
  sites: z
    .array(
      z.strictObject({
        id: name,
        name: z.string().max(60),
        network: z.string(),
        community: z.string().min(1).max(60),
        contact: z.string().max(80),
        /** Hardware addresses of what is on its wires and answers nobody, by their addresses. */
        strangers: z.record(z.string(), z.string().regex(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/)).default({}),
      }),
    )
    .min(1)
    .max(50),
  /** Site that Holotaxis looks from; the first one when left out. */
  observer: name.optional(),
  /** A name server that lets its zones be transferred: the domain's, and those of the sites' addresses. */
  names: z
    .strictObject({
      address: z.string(),
      port: z.number().int().min(1024).max(65_535),
      /** Further names, by the address that they have: what was forgotten when a host went. */
      left: z.record(name, z.string()).default({}),
    })
    .optional(),
  /** A ticket system with a REST interface; tickets of drills' changes are in it too. */
  tickets: z
    .strictObject({
      address: z.string(),
      port: z.number().int().min(1024).max(65_535),
      key: z.string().min(1).max(100),
      planned: z.array(plannedTicket).max(500).default([]),
    })
    .optional(),
  /** A door for administrators on every Linux host: HTTP with a token. */
  admin: z.strictObject({ port: z.number().int().min(1024).max(65_535), token: z.string().min(1).max(100) }).optional(),
  /** Where messages arrive: a mail server and a receiver of webhooks. */
  mail: z
    .strictObject({
      address: z.string(),
      port: z.number().int().min(1024).max(65_535),
      webhookPort: z.number().int().min(1024).max(65_535),
      user: z.string().min(1).max(60),
      password: z.string().min(1).max(100),
    })
    .optional(),
  /** Lines between sites; a pair that is not named has one of 1,000 Mbit/s and 1 ms. */
  links: z
    .array(
      z.strictObject({
        between: z.tuple([name, name]),
        mbps: z.number().min(1).max(1_000_000),
        ms: z.number().min(0).max(2000),
      }),
    )
    .max(200)
    .default([]),
  rhythms: z.record(name, rhythm),
  roles: z.record(name, role),
  hosts: z.array(host).min(1).max(5000),
  loads: z.array(load).max(200).default([]),
  queues: z.array(queue).max(50).default([]),
  jobs: z.array(job).max(50).default([]),
  figures: z.array(figure).max(100).default([]),
  faults: z.array(fault).max(200).default([]),
  drills: z.array(drill).max(200).default([]),
  /** Lists of words for the lines. */
  words: z.record(name, z.array(z.string().min(1).max(40)).min(1).max(50)).default({}),
  clouds: z.array(cloud).max(10).default([]),
  /** Whether hypervisors let people in by SSH too, and tell of their machines there. */
  hypervisorSsh: z.boolean().default(false),
  managers: z.array(manager).max(10).default([]),
  privateClouds: z.array(privateCloud).max(10).default([]),
  clusters: z.array(cluster).max(10).default([]),
  controllers: z.array(controller).max(500).default([]),
  /** By name of the process; "switch" for every switch. */
  outputs: z.record(name, output).default({}),
  past: z.array(past).max(200).default([]),
  upgrades: z.array(upgrade).max(200).default([]),
});

export type Scenario = z.infer<typeof scenarioSchema>;
export type ScenarioRole = Scenario["roles"][string];
export type ScenarioProcess = ScenarioRole["processes"][number];
export type ScenarioOperation = ScenarioProcess["operations"][number];
export type ScenarioTalk = ScenarioProcess["talksTo"][number];
export type ScenarioListener = ScenarioProcess["listens"][number];
export type ScenarioContainer = ScenarioRole["containers"][number];
export type ScenarioLoad = Scenario["loads"][number];
export type ScenarioJob = Scenario["jobs"][number];
export type ScenarioFigure = Scenario["figures"][number];
export type ScenarioChange = NonNullable<Scenario["faults"][number]["change"]>;
export type ScenarioFault = Scenario["faults"][number];
export type ScenarioEffect = ScenarioFault["effects"][number];
export type ScenarioRepair = ScenarioFault["endedBy"][number];
export type ScenarioDrill = Scenario["drills"][number];
export type ScenarioController = Scenario["controllers"][number];
export type ScenarioCluster = Scenario["clusters"][number];
export type ScenarioPrivateCloud = Scenario["privateClouds"][number];
export type ScenarioManager = Scenario["managers"][number];
export type ScenarioCloud = Scenario["clouds"][number];
export type ScenarioOutput = Scenario["outputs"][string];
export type Rhythm = Scenario["rhythms"][string];
