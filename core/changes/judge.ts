import type { Ticket } from "./tickets";

/** A change as it is held against tickets. */
export interface JudgedChange {
  atMs: number;
  /** How long before it may really have happened: a sweep sees what was done since the one before. */
  lateMs: number;
  /** Reference that the change itself carries, where it does. */
  ticket: string | null;
  summary: string;
  by: string;
  /** What it is about, in all names people use: component, host, program, services. */
  things: readonly string[];
}

export type Standing = "planned" | "outside" | "more" | "none";

export interface Verdict {
  standing: Standing;
  /** The ticket it belongs to. */
  ref: string | null;
  /** Why, as a sentence. */
  reason: string;
}

/** Work begins and ends a little beside its window. */
const BESIDE_MS = 15 * 60_000;
const POINTS = { reference: 8, thing: 3, time: 2, person: 1 } as const;
/** Less than this is chance: a person alone, or a time alone. */
const LEAST = 4;

const CLOSED = /cancel|reject|withdrawn/i;

const fold = (word: string): string => word.toLowerCase().trim();
/** Short names and full ones mean the same host. */
const short = (word: string): string => fold(word).split(".")[0] as string;
const called = (things: readonly string[]) => new Set(things.flatMap((thing) => [fold(thing), short(thing)]));

/** A ticket that names hosts is about those, however many others run the same program. */
function isAbout(ticket: Ticket, things: ReadonlySet<string>, hosts: ReadonlySet<string>): boolean {
  const named = ticket.things.filter((thing) => hosts.has(short(thing)));
  return (named.length ? named : ticket.things).some((thing) => things.has(fold(thing)) || things.has(short(thing)));
}

/** Whether a change, which may be seen late, can have been within a ticket's window. */
const isWithin = ({ fromMs, toMs }: Ticket, { atMs, lateMs }: JudgedChange): boolean =>
  (fromMs === null || atMs >= fromMs - BESIDE_MS) && (toMs === null || atMs - lateMs <= toMs + BESIDE_MS);

/** The reference as a word of its own, so that CHG-31 is not in CHG-312. */
export const mentions = (text: string, ref: string): boolean => {
  for (let at = text.indexOf(ref); at !== -1; at = text.indexOf(ref, at + 1))
    if (!/[\w-]/.test(text[at - 1] ?? " ") && !/[\w-]/.test(text[at + ref.length] ?? " ")) return true;
  return false;
};

/**
 * Finds for a change the few tickets that can be its own, by reference and by what they are about, so that thousands of
 * changes are not each held against thousands of tickets. In the order given.
 */
export function ticketFinder(tickets: readonly Ticket[]): (change: JudgedChange) => Ticket[] {
  const places = new Map<string, Set<number>>();
  const put = (word: string, place: number) => {
    const known = places.get(word);
    if (known) known.add(place);
    else places.set(word, new Set([place]));
  };
  // References of other signs than words have are looked for one by one.
  const odd: number[] = [];
  tickets.forEach(({ ref, things }, place) => {
    put(`ref ${ref}`, place);
    if (!/^[\w-]+$/.test(ref)) odd.push(place);
    for (const thing of things) for (const word of called([thing])) put(`thing ${word}`, place);
  });
  return ({ ticket, summary, things }) => {
    const words = [
      ...`${ticket ?? ""} ${summary}`.split(/[^\w-]+/).map((word) => `ref ${word}`),
      `ref ${ticket ?? ""}`,
      ...[...called(things)].map((word) => `thing ${word}`),
    ];
    const found = new Set([...odd, ...words.flatMap((word) => [...(places.get(word) ?? [])])]);
    return [...found].sort((a, b) => a - b).map((place) => tickets[place] as Ticket);
  };
}

/**
 * Joins a change to its ticket by reference, what it is about, time and person, and says whether it was planned, came
 * outside its window, did more than the ticket says, or has none. A ticket with several windows is given once for each.
 * @param hosts short names of all hosts, in small letters
 */
export function judgeChange(
  change: JudgedChange,
  tickets: readonly Ticket[],
  hosts: ReadonlySet<string> = new Set(),
): Verdict {
  const things = called(change.things);
  const text = `${change.ticket ?? ""} ${change.summary}`;
  let best: { ticket: Ticket; points: number; referred: boolean; about: boolean; within: boolean } | undefined;
  for (const ticket of tickets) {
    if (CLOSED.test(ticket.state)) continue;
    const referred = ticket.ref === change.ticket || mentions(text, ticket.ref);
    const about = isAbout(ticket, things, hosts);
    const within = isWithin(ticket, change);
    const person = ticket.person !== "" && fold(ticket.person) === fold(change.by);
    // A time fits by chance, so it counts only beside what the ticket is about.
    const points =
      (referred ? POINTS.reference : 0) +
      (about ? POINTS.thing : 0) +
      (within && (ticket.fromMs !== null || ticket.toMs !== null) ? POINTS.time : 0) +
      (person ? POINTS.person : 0);
    if (!referred && !(about && (within || person))) continue;
    if (points >= LEAST && (!best || points > best.points)) best = { ticket, points, referred, about, within };
  }
  if (!best)
    return {
      standing: "none",
      ref: null,
      reason: change.ticket
        ? `It names ${change.ticket}, which no ticket system knows.`
        : "No ticket names it, or is about this at this time.",
    };
  const { ticket, about, within, referred } = best;
  const { ref } = ticket;
  if (!about && ticket.things.length)
    return {
      standing: "more",
      ref,
      reason: `${ref} is about ${ticket.things.slice(0, 4).join(", ")}${ticket.things.length > 4 ? " …" : ""}, not about this.`,
    };
  if (!within)
    return {
      standing: "outside",
      ref,
      reason:
        ticket.fromMs !== null && change.atMs < ticket.fromMs
          ? `${ref} begins later.`
          : `The window of ${ref} was over.`,
    };
  return { standing: "planned", ref, reason: referred ? `It names ${ref}.` : `${ref} is about this at this time.` };
}
