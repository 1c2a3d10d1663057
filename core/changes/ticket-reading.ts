import Papa from "papaparse";
import { compileExpression, ExpressionFailure, type Expression } from "../platforms/expression";
import { checkedTickets, type Parsed } from "./tickets";

/** What can be said of where an answer has its tickets, and where a ticket has its parts. */
export const READ_PARTS = ["items", "next", "ref", "title", "state", "person", "from", "to", "things"] as const;
type Part = (typeof READ_PARTS)[number];

/** How another system's answers are read: an expression of JSONata 2 for each part. */
export type TicketReading = ReadonlyMap<Part, Expression>;

const isPart = (name: string): name is Part => (READ_PARTS as readonly string[]).includes(name);

/** Reads lines of “part = expression”; lines that are empty or begin with # say nothing. */
export function parseReading(text: string): { ok: true; reading: TicketReading } | { ok: false; problem: string } {
  const reading = new Map<Part, Expression>();
  for (const [index, line] of text.split("\n").entries()) {
    if (line.trim() === "" || line.trim().startsWith("#")) continue;
    const refuse = (why: string) => ({ ok: false as const, problem: `Line ${index + 1}: ${why}` });
    const [, name = "", expression = ""] = /^\s*(\w+)\s*=(?!=)\s*(.*\S)\s*$/.exec(line) ?? [];
    if (!name) return refuse("write a part, “=” and where it stands, as “ref = number”.");
    if (!isPart(name)) return refuse(`“${name.slice(0, 40)}” is no part of a ticket: ${READ_PARTS.join(", ")}.`);
    if (reading.has(name)) return refuse(`“${name}” is said twice.`);
    try {
      reading.set(name, compileExpression(expression));
    } catch (error) {
      if (error instanceof ExpressionFailure) return refuse(error.message);
      throw error;
    }
  }
  if (reading.size > 0 && !reading.has("ref"))
    return { ok: false, problem: "Say where a ticket has its reference: “ref = …”." };
  return { ok: true, reading };
}

/**
 * Tickets of an answer of another form: JSON by the expressions, and CSV as rows with its columns' names. Instants
 * without a zone are UTC; things may be a list, or one text parted by commas or semicolons.
 */
export async function readTickets(body: string, contentType: string, reading: TicketReading): Promise<Parsed> {
  const isJson = contentType.includes("json") || /^\s*[[{]/.test(body);
  let value: unknown;
  try {
    value = isJson ? JSON.parse(body) : Papa.parse(body.trim(), { header: true, skipEmptyLines: "greedy" }).data;
  } catch {
    return { ok: false, problem: "The answer is no JSON." };
  }
  try {
    const found = Array.isArray(value) ? value : await reading.get("items")?.of(value);
    if (found === undefined || found === null)
      return {
        ok: false,
        problem: reading.has("items")
          ? `“items = ${reading.get("items")?.text}” leads nowhere in the answer.`
          : "The answer is no list. Say where its tickets stand: “items = …”.",
      };
    // An expression that finds one thing gives that thing and no list.
    const items: unknown[] = Array.isArray(found) ? found : [found];
    const next = isJson && !Array.isArray(value) ? await reading.get("next")?.of(value) : null;
    const rows: unknown[] = [];
    for (const item of items) rows.push(await rowOf(item, reading));
    return checkedTickets(
      rows,
      (index) => `Ticket ${index + 1}`,
      typeof next === "string" && next !== "" ? next : null,
    );
  } catch (error) {
    if (error instanceof ExpressionFailure) return { ok: false, problem: error.message };
    throw error;
  }
}

async function rowOf(item: unknown, reading: TicketReading): Promise<Record<string, unknown>> {
  const row: Record<string, unknown> = {};
  for (const [part, expression] of reading) {
    if (part === "items" || part === "next") continue;
    const value = await expression.of(item);
    if (value === null || value === undefined) continue;
    row[part] = part === "things" ? thingsOf(value) : part === "from" || part === "to" ? inUtc(value) : value;
  }
  return row;
}

const thingsOf = (value: unknown): string[] =>
  (Array.isArray(value) ? value.map(String) : String(value).split(/[,;]/)).map((one) => one.trim());

/** An instant without a zone is UTC. */
const inUtc = (value: unknown): unknown =>
  typeof value === "string" && /^\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d(\.\d+)?)?$/.test(value.trim())
    ? `${value.trim().replace(" ", "T")}Z`
    : value;
