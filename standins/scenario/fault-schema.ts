import { z } from "zod";
import { count, duration, name, sentence } from "./words";

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

export const fault = z.strictObject({
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
export const plannedTicket = z.strictObject({
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

export const drill = z.strictObject({
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
