import { z } from "zod";
import { parseReading, READ_PARTS, readTickets } from "#core/changes/ticket-reading";
import { MOST_TICKETS, parseTickets, type Ticket } from "#core/changes/tickets";
import { fetchText, type TextAnswer } from "../../outside/fetch-text";
import type { Access } from "../../vault/kinds";
import type { Found, SourceDriver, SourceTools } from "../driver";

const MOST_PAGES = 500;
const LIMITS = { timeoutMs: 20_000, mostBytes: 10_000_000 };
const MOST_WAITS = 3;
const LONGEST_WAIT_S = 30;

const ticketSettings = z.strictObject({
  address: z
    .url({ protocol: /^https?$/, error: "Give a whole address, with http:// or https://." })
    .max(500)
    .refine(
      (text) => !new URL(text).username && !new URL(text).password,
      "A secret does not belong in an address; give a credential.",
    )
    .meta({
      title: "Address of the tickets",
      description:
        "JSON (a list, or {items, next} for pages), CSV with a head line, or an iCalendar. Fields: ref, title, state, person, from, to, things.",
    }),
  reading: z
    .string()
    .max(8000, "That is more than 8,000 characters.")
    .default("")
    .superRefine((text, context) => {
      const read = parseReading(text);
      if (!read.ok) context.addIssue({ code: "custom", message: read.problem });
    })
    .meta({
      title: "Where it says what",
      description: `Only where its fields have other names: a line for each part with a JSONata expression, as “ref = number”. Parts: ${READ_PARTS.join(", ")}.`,
      lines: true,
    }),
});
export type TicketSettings = z.input<typeof ticketSettings>;

/** A failure whose message is a sentence for people. */
class TicketFailure extends Error {
  override name = "TicketFailure";
}

const sleep = (ms: number, signal: AbortSignal) =>
  new Promise<void>((done) => {
    const timer = setTimeout(done, ms);
    signal.addEventListener("abort", () => (clearTimeout(timer), done()), { once: true });
  });

async function ask(address: string, access: readonly Access[], signal: AbortSignal): Promise<TextAnswer> {
  for (let waits = 0; ; waits++) {
    const answer = await fetchText(address, LIMITS, {
      headers: { accept: "application/json, text/calendar, text/csv" },
      access: access[0],
      signal,
    });
    if (answer.status !== 429 || waits >= MOST_WAITS) return answer;
    const wait = Math.min(LONGEST_WAIT_S, Number(answer.headers["retry-after"]) || 2 ** waits);
    await sleep(wait * 1000, signal);
    if (signal.aborted) throw new TicketFailure("It was stopped.");
  }
}

/** All tickets, page by page; throws a sentence where a page cannot be read. Pages lead to the same host only. */
async function* pages(
  { address, reading = "" }: TicketSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
): AsyncGenerator<Ticket[]> {
  const asked = new Set<string>();
  const known = parseReading(reading);
  if (!known.ok) throw new TicketFailure(known.problem);
  let count = 0;
  for (let next: string | null = address; next !== null;) {
    if (asked.has(next)) throw new TicketFailure(`Page ${asked.size + 1} leads back to ${next}.`);
    if (asked.size >= MOST_PAGES) throw new TicketFailure(`There are more than ${MOST_PAGES} pages.`);
    asked.add(next);
    const answer = await ask(next, access, signal);
    if (answer.status === 401 || answer.status === 403)
      throw new TicketFailure(`It answers ${answer.status}: the credential is not accepted.`);
    if (answer.status !== 200) throw new TicketFailure(`Page ${asked.size} answers ${answer.status}.`);
    const type = String(answer.headers["content-type"] ?? "");
    const parsed = known.reading.size
      ? await readTickets(answer.text, type, known.reading)
      : parseTickets(answer.text, type, tools.now());
    if (!parsed.ok) throw new TicketFailure(`Page ${asked.size}: ${parsed.problem}`);
    count += parsed.tickets.length;
    if (count > MOST_TICKETS)
      throw new TicketFailure(
        `There are more than ${MOST_TICKETS.toLocaleString("en-GB")} tickets. Ask for those of the last months only.`,
      );
    yield parsed.tickets;
    next = parsed.next === null ? null : onSameHost(parsed.next, address);
  }
}

function onSameHost(next: string, address: string): string {
  const url = new URL(next, address);
  if (url.origin !== new URL(address).origin)
    throw new TicketFailure(`The next page is said to be at ${url.origin}, which is not where tickets are read from.`);
  return url.href;
}

const instantOf = (ms: number | null) => (ms === null ? "an open end" : new Date(ms).toISOString().slice(0, 16) + "Z");

/** A ticket in a sentence, so that whoever says where things stand sees whether they were found. */
const saidOf = ({ ref, title, state, person, fromMs, toMs, things }: Ticket): string =>
  `The first is ${ref}: ${title || "without a title"}; ${[
    state || "no state",
    person ? `by ${person}` : "nobody named",
    fromMs === null && toMs === null ? "no window" : `${instantOf(fromMs)} to ${instantOf(toMs)}`,
    things.length ? `about ${things.slice(0, 3).join(", ")}${things.length > 3 ? " …" : ""}` : "about nothing named",
  ].join(", ")}.`;

const sayOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** Planned work from a ticket system, a file or a calendar on the web: what changes are held against. */
export const ticketsDriver: SourceDriver<TicketSettings> = {
  kind: "tickets",
  hasTickets: true,
  label: "Tickets and planned work",
  about:
    "A ticket system, or a calendar of planned work: changes are joined to their tickets, and those without are marked.",
  settings: ticketSettings,
  uses: ["bearer", "basic"],
  covers: ({ address }) => ({ text: `tickets at ${new URL(address).host}`, places: 1 }),
  check: async (settings, access, signal, tools) => {
    try {
      let count = 0;
      let first: Ticket | undefined;
      let read = 0;
      for await (const tickets of pages(settings, access, signal, tools)) {
        count += tickets.length;
        first ??= tickets[0];
        if (++read === 3) break;
      }
      return {
        ok: true,
        lines: [
          `${count.toLocaleString("en-GB")} tickets on ${read === 3 ? "the first 3 pages" : `${read} ${read === 1 ? "page" : "pages"}`}.`,
          ...(first ? [saidOf(first)] : []),
        ],
      };
    } catch (error) {
      return { ok: false, lines: [sayOf(error)] };
    }
  },
  async *discover(settings, access, signal, tools): AsyncGenerator<Found> {
    try {
      let count = 0;
      const all: Ticket[] = [];
      for await (const tickets of pages(settings, access, signal, tools)) {
        if (signal.aborted) return;
        count += tickets.length;
        all.push(...tickets);
        yield { what: "progress", tried: 1, answering: 1, recognised: count, failed: 0 };
      }
      // Only all of them take the place of those that were known.
      yield { what: "tickets", tickets: all };
    } catch (error) {
      if (signal.aborted) return;
      yield { what: "failure", address: settings.address, reason: sayOf(error) };
      yield { what: "progress", tried: 1, answering: 0, recognised: 0, failed: 1 };
    }
  },
};
