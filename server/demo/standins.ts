import { createInterface } from "node:readline";
import { Readable } from "node:stream";
import { z } from "zod";
import { fetchText, type Call, type TextAnswer } from "../outside/fetch-text";
import type { ClockSetting } from "#core/time/clock";
import type { HostPoll } from "#core/telemetry/poll";

const drillSchema = z.object({
  id: z.string(),
  title: z.string(),
  story: z.string(),
  host: z.string(),
  process: z.string().optional(),
  cause: z.string(),
  repair: z.string(),
  group: z.string(),
  activeSinceMs: z.number().optional(),
  /** When it was last over, and whether a repair or a person ended it. */
  ended: z.object({ atMs: z.number(), how: z.enum(["repaired", "ended"]) }).optional(),
});
export type Drill = z.infer<typeof drillSchema>;

const arrivedHead = z.object({
  number: z.number(),
  atMs: z.number(),
  from: z.string(),
  to: z.array(z.string()),
  messageId: z.string(),
  inReplyTo: z.string(),
  subject: z.string(),
  bytes: z.number(),
});
const arrivalsSchema = z.object({
  messages: z.array(arrivedHead),
  calls: z.array(
    z.object({
      number: z.number(),
      atMs: z.number(),
      path: z.string(),
      headers: z.record(z.string(), z.string()),
      body: z.string(),
    }),
  ),
});
/** What arrived at the mail server and at the receiver of webhooks. */
export type Arrivals = z.infer<typeof arrivalsSchema>;

const openedSchema = arrivedHead.extend({
  headers: z.array(z.object({ name: z.string(), value: z.string() })),
  text: z.string(),
  html: z.string(),
  pictures: z.array(z.object({ cid: z.string(), name: z.string(), type: z.string(), base64: z.string() })),
});
/** A message as a mail program shows it. */
export type OpenedMail = z.infer<typeof openedSchema>;

const headSchema = z.object({
  hosts: z.array(
    z.object({
      address: z.string(),
      cores: z.number().int(),
      storage: z.array(
        z.object({ label: z.string(), type: z.enum(["ram", "virtual", "disk", "other"]), sizeBytes: z.number() }),
      ),
      interfaces: z.array(z.string()),
      devices: z.array(z.string()),
      processes: z.array(z.string()),
      guests: z
        .array(z.object({ name: z.string(), uuid: z.string(), processors: z.number(), memoryBytes: z.number() }))
        .optional(),
    }),
  ),
  /** Who says something, by what it says of itself. */
  senders: z.array(z.record(z.string(), z.string())),
  /** What agents measure, by what they say of themselves. */
  measured: z.array(
    z.object({
      attributes: z.record(z.string(), z.string()),
      metrics: z.array(
        z.object({
          metric: z.string(),
          instance: z.string(),
          unit: z.string(),
          instrument: z.literal("delta").optional(),
        }),
      ),
    }),
  ),
  figures: z.array(z.object({ address: z.string().optional(), port: z.number(), metric: z.string() })),
});

/** What every poll of one past instant would have read. */
export interface PastMoment {
  atMs: number;
  /** By address; null where a host was silent. */
  polls: Map<string, HostPoll | null>;
  figures: Map<string, number>;
  /** What clouds would have told: of what, by its id there, and a figure of it. */
  clouds: readonly (readonly [id: string, metric: string, unit: string, value: number])[];
  /** Each with its values, null while nothing was reported. */
  measured: readonly {
    attributes: Record<string, string>;
    metrics: readonly { metric: string; instance: string; unit: string; instrument?: "delta" | undefined }[];
    values: readonly (number | null)[] | null;
  }[];
  senders: readonly Record<string, string>[];
  /** What was said since the moment before. */
  says: {
    sender: number;
    atMs: number;
    severity: number;
    text: string;
    traceId: string | null;
    spanId: string | null;
  }[];
  spans: {
    sender: number;
    traceId: string;
    spanId: string;
    parentId: string;
    name: string;
    kind: number;
    startMs: number;
    endMs: number;
    failed: boolean;
    attributes: Record<string, unknown>;
    message: string;
  }[];
}

const MOST_ANSWER = 4 * 1024 * 1024;
/** On a slow machine a busy stand-in estate answers late; the first start must not break off for that. */
const CLOCK_MS = 60_000;
const BEAT_MS = 5000;

/** Talks to the stand-ins' own door: drills, their clock, their past. Only the demo has one. */
export class Standins {
  constructor(private readonly url: string) {}

  private headers = { "x-standin-control": "1", "content-type": "application/json" };

  /** Throws with a sentence when the stand-ins do not answer in time. */
  private async call(path: string, timeoutMs: number, init: Call = {}): Promise<TextAnswer> {
    const ask = () =>
      fetchText(`${this.url}${path}`, { timeoutMs, mostBytes: MOST_ANSWER }, { ...init, headers: this.headers });
    // A connection kept from before may be closed by the other side just as it is used again; a new one then serves.
    return ask().catch(ask);
  }

  async arrivals(): Promise<Arrivals> {
    return arrivalsSchema.parse(JSON.parse((await this.call("/mail", 5000)).text));
  }

  /** One message whole; null where it is not kept any more. */
  async mail(number: number): Promise<OpenedMail | null> {
    const { status, text } = await this.call(`/mail/${number}`, 5000);
    return status === 200 ? openedSchema.parse(JSON.parse(text)) : null;
  }

  async drills(): Promise<Drill[]> {
    return z.array(drillSchema).parse(JSON.parse((await this.call("/drills", 3000)).text));
  }

  /** @returns a sentence when it could not be done */
  async drill(id: string, action: "start" | "stop"): Promise<string | undefined> {
    const { status, text } = await this.call(`/drills/${encodeURIComponent(id)}/${action}`, 3000, { method: "POST" });
    return status < 300 ? undefined : z.object({ problem: z.string() }).parse(JSON.parse(text)).problem;
  }

  /** Whether something that somebody named is a cause of a drill: its place among them, or -1; and how many there are. */
  async name(id: string, text: string): Promise<{ root: number; roots: number }> {
    const init = { method: "POST", body: JSON.stringify({ text }) };
    const answer = await this.call(`/drills/${encodeURIComponent(id)}/name`, 3000, init);
    return z.object({ root: z.number().int(), roots: z.number().int() }).parse(JSON.parse(answer.text));
  }

  async beat(): Promise<void> {
    await fetchText(`${this.url}/time`, { timeoutMs: BEAT_MS, mostBytes: 1000 }, { headers: this.headers });
  }

  async setClock(setting: ClockSetting): Promise<void> {
    const { status } = await this.call("/clock", CLOCK_MS, { method: "POST", body: JSON.stringify(setting) });
    if (status >= 300) throw new Error(`The stand-ins did not take the clock: ${status}.`);
  }

  /** The past from one instant up to another, a moment at a time. */
  async *past(fromMs: number, toMs: number, stepMs: number): AsyncGenerator<PastMoment> {
    const response = await fetch(`${this.url}/feed?from=${fromMs}&to=${toMs}&step=${stepMs}`, {
      headers: this.headers,
    });
    if (!response.ok || !response.body) throw new Error(`The stand-ins' past cannot be read: ${response.status}.`);
    const lines = createInterface({
      input: Readable.fromWeb(response.body as never),
      crlfDelay: Number.POSITIVE_INFINITY,
    });
    let head: z.infer<typeof headSchema> | undefined;
    for await (const line of lines) {
      const json: unknown = JSON.parse(line);
      if (!head) {
        head = headSchema.parse(json);
        continue;
      }
      // Millions of numbers follow from our own stand-ins; their form is fixed by the head.
      const { at, rows, figures, clouds, measured, says, spans } = json as {
        at: number;
        rows: (number[] | null)[];
        measured: ((number | null)[] | null)[];
        figures: (number | null)[];
        clouds: PastMoment["clouds"];
        says: [number, number, number, string, string?, string?][];
        spans: PastMoment["spans"];
      };
      const polls = new Map<string, HostPoll | null>();
      for (let index = 0; index < head.hosts.length; index++) {
        const host = head.hosts[index] as (typeof head.hosts)[number];
        const row = rows[index];
        polls.set(host.address, row ? unpack(host, row) : null);
      }
      const values = new Map<string, number>();
      head.figures.forEach((figure, index) => {
        const value = figures[index];
        if (value !== null && value !== undefined) values.set(figure.metric, value);
      });
      yield {
        atMs: at,
        polls,
        figures: values,
        clouds,
        measured: head.measured.map((one, index) => ({ ...one, values: measured[index] ?? null })),
        senders: head.senders,
        says: says.map(([sender, atMs, severity, text, traceId, spanId]) => ({
          sender,
          atMs,
          severity,
          text,
          traceId: traceId ?? null,
          spanId: spanId ?? null,
        })),
        spans,
      };
    }
  }
}

function unpack(host: z.infer<typeof headSchema>["hosts"][number], row: readonly (number | null)[]): HostPoll {
  let place = 0;
  const next = () => row[place++] as number;
  const processorLoads = Array.from({ length: host.cores }, next);
  const storage = host.storage.map((one) => ({
    label: one.label,
    type: one.type,
    usedBytes: next(),
    sizeBytes: one.sizeBytes,
  }));
  const interfaces = host.interfaces.map((name) => ({
    name,
    inOctets: next(),
    outOctets: next(),
    errors: next(),
    up: true,
  }));
  const devices = host.devices.map((name) => ({ name, reads: next(), writes: next(), busyMicroseconds: next() }));
  const processes: HostPoll["processes"] = [];
  for (const name of host.processes) {
    const memoryBytes = row[place++];
    const cpuHundredths = row[place++];
    if (memoryBytes !== null && memoryBytes !== undefined)
      processes.push({ name, memoryBytes, cpuHundredths: cpuHundredths ?? 0 });
  }
  const guests = host.guests?.flatMap((guest) => {
    const running = row[place++];
    const cpuMicroseconds = row[place++];
    return running === null || running === undefined
      ? []
      : [{ ...guest, running: running === 1, cpuMicroseconds: cpuMicroseconds ?? 0 }];
  });
  return { processorLoads, storage, interfaces, devices, processes, ...(guests ? { guests } : {}) };
}
