import { groupBy } from "#core/units/group";
import { createServer, type Server } from "node:http";
import { parseDurationMs } from "#core/time/windows";
import type { Scenario } from "./scenario/schema";
import type { Estate } from "./seen/estate";

const PAGE = 20;
const spanOf = (text: string) => parseDurationMs(text) as number;
const DAY_MS = 86_400_000;

/** A ticket as this system tells of it. */
interface Told {
  ref: string;
  title: string;
  state: string;
  person: string;
  from: string;
  to: string;
  things: string[];
}

/** Work that a drill stands for takes so long about its beginning. */
const BEFORE_MS = 10 * 60_000;
const AFTER_MS = 60 * 60_000;

/**
 * Tickets of planned work: those of the past by their windows, and those of drills, which may be practised any day;
 * what is being worked at by plan has a window of an hour.
 * @param sinceMs since when a drill is at work; undefined while it is not
 */
export function ticketsOf(
  scenario: Scenario,
  anchorMs: number,
  nowMs: number,
  sinceMs: (drillId: string) => number | undefined = () => undefined,
): Told[] {
  const iso = (ms: number) => new Date(ms).toISOString();
  const planned = (scenario.tickets?.planned ?? []).map(({ ref, title, person, things, before, lasts }): Told => ({
    ref,
    title,
    state: "closed",
    person,
    from: iso(anchorMs - spanOf(before)),
    to: iso(anchorMs - spanOf(before) + spanOf(lasts)),
    things,
  }));
  const changes = [
    ...scenario.faults.flatMap((one) => (one.change ? [{ ...one.change, atMs: undefined }] : [])),
    ...scenario.drills.flatMap((one) => one.changes.map((change) => ({ ...change, atMs: sinceMs(one.id) }))),
  ];
  const open = changes.flatMap(({ ticket, text, by, host, process, atMs }): Told[] =>
    ticket
      ? [
          {
            ref: ticket,
            title: text,
            state: "approved",
            person: by,
            from: iso(atMs === undefined ? nowMs - DAY_MS : atMs - BEFORE_MS),
            to: iso(atMs === undefined ? nowMs + DAY_MS : atMs + AFTER_MS),
            things: [host, ...(process ? [process] : [])],
          },
        ]
      : [],
  );
  // A ticket of several steps names all they are on.
  const named = groupBy(open, (one) => one.ref);
  return [
    ...planned,
    ...[...named.values()].map((same): Told => ({
      ...(same.at(-1) as Told),
      things: [...new Set(same.flatMap((one) => one.things))],
    })),
  ];
}

/** A ticket system with a REST interface in pages: `/api/tickets?page=2`, with a key. */
export function makeTicketServer(estate: Estate, key: string, now: () => number): Server {
  return createServer((request, response) => {
    const url = new URL(request.url ?? "/", "http://tickets");
    const say = (status: number, body: unknown) =>
      response.writeHead(status, { "content-type": "application/json" }).end(JSON.stringify(body));
    if (request.headers.authorization !== `Bearer ${key}`) return void say(401, { message: "unknown key" });
    if (url.pathname !== "/api/tickets" || request.method !== "GET") return void say(404, { message: "no such thing" });
    const page = Math.max(1, Number(url.searchParams.get("page")) || 1);
    const atMs = now();
    const all = ticketsOf(estate.scenario, estate.anchorMs, atMs, (id) => estate.activeSince(id, atMs));
    const items = all.slice((page - 1) * PAGE, page * PAGE);
    say(200, { items, next: page * PAGE < all.length ? `/api/tickets?page=${page + 1}` : null });
  });
}
