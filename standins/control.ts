import { createServer, type Server } from "node:http";
import { z } from "zod";
import type { ClockSetting } from "#core/time/clock";
import { CloudFeed } from "./clouds/feed";
import { headOf, opened } from "./opened";
import type { CallBox, Mailbox } from "./mailbox";
import { rootNamed } from "./naming";
import { measuredOf, type Measured } from "./seen/agents";
import type { Estate } from "./seen/estate";
import { uuidOf, type HostView } from "./seen/host-view";
import { attributesOf, linesBetween, sendersOf, type Sender } from "./seen/lines";
import { ownFiguresOf, type OwnFigures } from "./seen/own-figures";
import { failureLines, Traces, type StandinSpan } from "./seen/traces";

export interface ControlOptions {
  port: number;
  now: () => number;
  setClock: (setting: ClockSetting) => void;
  /** What arrived by mail and by webhook. */
  mailbox: Mailbox;
  calls: CallBox;
  /** Called after a drill changed what runs. */
  onEffect: () => void;
}

/**
 * Spans are many: the feed tells of those of the last hours only, as a team that began to send them lately would have.
 */
const SPANS_BACK_MS = 2 * 3_600_000;
/** What processes measure of themselves is told of so far back: a week, and a day to compare with. */
const OWN_BACK_MS = 8 * 24 * 3_600_000;

const nameBody = z.strictObject({ text: z.string().max(200) });
const clockBody = z.strictObject({ baseMs: z.number(), machineMs: z.number(), pace: z.number().min(0).max(1000) });
const feedQuery = z.object({ from: z.coerce.number(), to: z.coerce.number(), step: z.coerce.number().min(1000) });

/**
 * The stand-ins' own door, on 127.0.0.1: the clock, the drills, and the feed of what polls would have read in a span of
 * the past. It asks for a header that no web page can send across sites.
 */
export function startControl(estate: Estate, options: ControlOptions): Promise<Server> {
  // The feed runs ahead of whoever reads it by a good many moments.
  const server = createServer({ highWaterMark: 1024 * 1024 }, async (request, response) => {
    const send = (status: number, body: unknown) => {
      response.statusCode = status;
      response.setHeader("Content-Type", "application/json");
      response.end(JSON.stringify(body));
    };
    try {
      if (request.headers["x-standin-control"] !== "1")
        return send(403, { problem: "This door is for Holotaxis only." });
      const url = new URL(request.url ?? "/", "http://127.0.0.1");
      const [, area, id, action] = url.pathname.split("/");
      if (request.method === "GET" && area === "time") return send(200, { atMs: options.now() });
      if (request.method === "GET" && area === "drills") return send(200, listDrills(estate, options.now()));
      if (request.method === "POST" && area === "drills" && id && action === "name") {
        const drill = estate.drills.find((one) => one.id === id);
        if (!drill) return send(404, { problem: "There is no such drill." });
        const { text } = nameBody.parse(JSON.parse(await readBody(request)));
        return send(200, rootNamed(estate.scenario, drill, text));
      }
      if (request.method === "POST" && area === "drills" && id) {
        const at = options.now();
        const done = action === "stop" ? estate.stopDrill(id, at) : estate.startDrill(id, at) !== undefined;
        options.onEffect();
        return done
          ? send(200, { at })
          : send(409, {
              problem:
                action === "stop" ? "That drill is not running." : "That drill is running already or does not exist.",
            });
      }
      if (request.method === "POST" && area === "clock") {
        options.setClock(clockBody.parse(JSON.parse(await readBody(request))));
        return send(200, {});
      }
      if (request.method === "GET" && area === "mail" && id) {
        const kept = options.mailbox.find(Number(id));
        return kept ? send(200, await opened(kept)) : send(404, { problem: "There is no such message." });
      }
      if (request.method === "GET" && area === "mail")
        return send(200, {
          messages: await Promise.all(options.mailbox.list().map(headOf)),
          calls: options.calls.list(),
        });
      if (request.method === "GET" && area === "feed") {
        const query = feedQuery.parse(Object.fromEntries(url.searchParams));
        response.setHeader("Content-Type", "application/x-ndjson");
        await writeFeed(estate.fork(), query, response);
        return;
      }
      send(404, { problem: "There is no such thing here." });
    } catch (error) {
      send(400, { problem: error instanceof Error ? error.message : "The request cannot be read." });
    }
  });
  server.keepAliveTimeout = 60_000;
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    server.listen(options.port, "127.0.0.1", () => resolve(server));
  });
}

async function readBody(request: AsyncIterable<Buffer>): Promise<string> {
  let text = "";
  for await (const part of request) {
    text += part.toString("utf8");
    if (text.length > 10_000) throw new RangeError("The request is too large.");
  }
  return text;
}

function listDrills(estate: Estate, at: number) {
  return estate.drills.map((drill) => {
    const [root] = drill.answer.roots.flat();
    const first = drill.parts[0]?.fault.effects[0];
    const at0 = first && "host" in first ? first.host : undefined;
    return {
      id: drill.id,
      title: drill.title,
      story: drill.story,
      host: root?.host ?? at0 ?? "",
      process: root ? root.process : first && "process" in first ? first.process : undefined,
      cause: drill.parts.map(({ fault }) => fault.cause).join("; ") || "Nothing is wrong",
      repair: drill.parts.map(({ fault }) => fault.repair).join("; ") || "Nothing is to be done",
      group: drill.group,
      activeSinceMs: estate.activeSince(drill.id, at),
      ended: estate.endOf(drill.id, at),
    };
  });
}

/** What an agent or a process reports of itself. */
type Reported = Measured | OwnFigures;

const isTold = (one: Reported, atMs: number, anchorMs: number) => "host" in one || atMs > anchorMs - OWN_BACK_MS;

/** One line of hosts and columns, then a line for each instant with a row for each host, null while it is silent. */
async function writeFeed(
  estate: Estate,
  { from, to, step }: z.infer<typeof feedQuery>,
  response: NodeJS.WritableStream & { writableNeedDrain?: boolean },
): Promise<void> {
  const write = async (line: unknown) => {
    if (!response.write(`${JSON.stringify(line)}\n`)) await new Promise((resolve) => response.once("drain", resolve));
  };
  const senders = sendersOf(estate);
  const traces = new Traces(estate.world, senders);
  const measured: Reported[] = [...measuredOf(estate), ...ownFiguresOf(estate.world, senders, from)];
  const clouds = new CloudFeed(estate);
  await write(feedHead(estate, senders, measured, from));
  let told = from - step;
  for (let at = from; at < to; at += step) {
    // What was written goes out while the next moment is lived.
    await new Promise((resolve) => setImmediate(resolve));
    const says: unknown[] = [];
    const spans: StandinSpan[] = [];
    // What is said follows the world minute by minute.
    while (told < at) {
      const next = Math.min(at, told + 60_000);
      const some = next > estate.anchorMs - SPANS_BACK_MS ? traces.between(told, next) : [];
      spans.push(...some);
      senders.forEach((sender, index) => {
        for (const line of linesBetween(estate.scenario, sender, told, next))
          says.push([index, line.atMs, line.severity, line.text]);
      });
      for (const line of failureLines(some))
        says.push([senders.indexOf(line.sender), line.atMs, line.severity, line.text, line.traceId, line.spanId]);
      told = next;
    }
    await write({
      at,
      rows: estate.hosts.map((host) => feedRow(host, at)),
      figures: estate.scenario.figures.map((figure) => estate.figure(figure.metric, at) ?? null),
      clouds: clouds.at(at).map((one) => [one.id, one.metric, one.unit, one.value]),
      measured: measured.map((one) => (isTold(one, at, estate.anchorMs) ? (one.valuesAt(at) ?? null) : null)),
      // What was said since the moment before.
      spans: spans.map((span) => ({ ...span, operation: undefined, sender: senders.indexOf(span.sender) })),
      says,
    });
  }
  response.end();
}

function feedHead(estate: Estate, senders: readonly Sender[], measured: readonly Reported[], from: number) {
  return {
    hosts: estate.hosts.map((host) => {
      const poll = host.poll(from);
      return {
        address: host.address,
        cores: poll.processorLoads.length,
        storage: poll.storage.map(({ label, type, sizeBytes }) => ({ label, type, sizeBytes })),
        interfaces: poll.interfaces.map((row) => row.name),
        devices: poll.devices?.map((row) => row.name) ?? [],
        processes: host.stations.map((station) => station.spec.name),
        guests:
          host.role.system === "hypervisor"
            ? host.machine.guests.map((guest) => ({
                name: guest.name,
                uuid: uuidOf(guest),
                processors: estate.world.coresOf(guest),
                memoryBytes: guest.role.memoryGiB * 1024 ** 3,
              }))
            : undefined,
      };
    }),
    senders: senders.map((sender) => attributesOf(sender, from)),
    measured: measured.map(({ attributes, metrics }) => ({ attributes, metrics })),
    figures: estate.scenario.figures.map((figure) => ({
      address: estate.host(figure.host)?.address,
      port: figure.port,
      metric: figure.metric,
    })),
  };
}

/** The values of one poll in the order of the head; null while the host does not answer. */
function feedRow(host: HostView, at: number): (number | null)[] | null {
  if (!host.answers(at)) return null;
  const poll = host.poll(at);
  const row: (number | null)[] = [...poll.processorLoads, ...poll.storage.map((one) => one.usedBytes)];
  for (const one of poll.interfaces) row.push(one.inOctets, one.outOctets, one.errors);
  for (const one of poll.devices ?? []) row.push(one.reads, one.writes, one.busyMicroseconds);
  for (const station of host.stations) {
    const used = poll.processes.find((one) => one.name === station.spec.name);
    row.push(used?.memoryBytes ?? null, used?.cpuHundredths ?? null);
  }
  for (const guest of host.role.system === "hypervisor" ? host.machine.guests : []) {
    const used = poll.guests?.find((one) => one.name === guest.name);
    row.push(used ? Number(used.running) : null, used?.cpuMicroseconds ?? null);
  }
  return row;
}
