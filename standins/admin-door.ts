import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import type { Estate } from "./seen/estate";
import type { HostView } from "./seen/host-view";

const MOST_BODY = 10_000;

interface Asked {
  estate: Estate;
  host: HostView;
  atMs: number;
  body: Record<string, unknown>;
  /** Parts of the path behind that of the door. */
  named: readonly string[];
}

interface Answer {
  status?: number;
  body: object;
}

const refused = (status: number, message: string): Answer => ({ status, body: { error: message } });

/** What an administrator may ask of the programs of a host, by method and path; `*` stands for a name. */
const DOORS: Readonly<Record<string, (asked: Asked) => Answer>> = {
  "GET /": ({ estate, host, atMs }) => ({
    body: {
      host: host.name,
      takesRequests: !estate.world.isAside(host.machine, atMs),
      cacheMiB: Math.round(host.cachedBytes(atMs) / 2 ** 20),
      programs: host.stations.map((one) => ({
        name: one.spec.name,
        version: host.versionOf(one, atMs),
        running: host.isRunning(one, atMs),
        pools: one.pools.map((pool) => pool.spec.process),
      })),
    },
  }),
  /** Those that call are told to go elsewhere; what is under way is answered. */
  "POST /drain": ({ estate, host, atMs }) => {
    estate.world.setAside(host.machine, true, atMs);
    return { body: { takesRequests: false } };
  },
  "POST /admit": ({ estate, host, atMs }) => {
    estate.world.setAside(host.machine, false, atMs);
    return { body: { takesRequests: true } };
  },
  "PUT /programs/*/pools/*": ({ estate, host, atMs, body, named: [program = "", target = ""] }) => {
    const station = host.station(program);
    if (!station?.pools.some((one) => one.spec.process === target))
      return refused(404, `${program} has no pool of connections to ${target}.`);
    if (body.connections !== "default") return refused(400, 'Say {"connections": "default"}.');
    const ended = estate.world.repair({ do: "pool", host: host.name, process: program, target }, atMs);
    return { body: { pool: target, connections: "default", changed: ended } };
  },
  "DELETE /cache": ({ estate, host, atMs }) => {
    const before = host.cachedBytes(atMs);
    estate.world.clearCache(host.machine, atMs);
    return { body: { freedMiB: Math.round(before / 2 ** 20) } };
  },
};

async function bodyOf(request: IncomingMessage): Promise<Record<string, unknown> | undefined> {
  let text = "";
  for await (const part of request) {
    text += String(part);
    if (text.length > MOST_BODY) return undefined;
  }
  try {
    const body: unknown = text === "" ? {} : JSON.parse(text);
    return body !== null && typeof body === "object" ? (body as Record<string, unknown>) : undefined;
  } catch {
    return undefined;
  }
}

const partsOf = (path: string) => path.split("/").filter(Boolean).map(decodeURIComponent);

async function answerTo(request: IncomingMessage, estate: Estate, host: HostView, atMs: number): Promise<Answer> {
  const parts = partsOf(new URL(request.url ?? "/", "http://door").pathname);
  for (const [door, act] of Object.entries(DOORS)) {
    const [method, path = ""] = door.split(" ");
    const wanted = partsOf(path);
    if (method !== request.method || wanted.length !== parts.length) continue;
    if (!wanted.every((one, index) => one === "*" || one === parts[index])) continue;
    const body = await bodyOf(request);
    if (!body) return refused(400, "Send a JSON object of at most 10,000 characters.");
    return act({ estate, host, atMs, body, named: parts.filter((_, index) => wanted[index] === "*") });
  }
  return refused(404, "There is no such door.");
}

/** The door for administrators of one host: HTTP with a token, on a port of its own. */
export function makeAdminDoor(estate: Estate, host: HostView, token: string, now: () => number): Server {
  const say = (response: ServerResponse, { status = 200, body }: Answer) =>
    response.writeHead(status, { "content-type": "application/json" }).end(JSON.stringify(body));
  return createServer((request, response) => {
    if (!host.answers(now())) return void request.socket.destroy();
    if (request.headers.authorization !== `Bearer ${token}`) return void say(response, refused(401, "unknown token"));
    answerTo(request, estate, host, now()).then(
      (answer) => say(response, answer),
      () => say(response, refused(400, "That cannot be read.")),
    );
  });
}
