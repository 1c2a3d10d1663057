import { cellText, rowsOfText, type GivenRow } from "../forms/rows";

interface ListedEntry {
  host: string;
  process: string;
  /** Only what is asked under these names; everything where left out. */
  operations?: string[] | undefined;
}

/** One service as a list gives it; still to be checked. */
export interface ListedService {
  /** "Line 2", as people find it again. */
  at: string;
  name: string;
  purpose: string;
  owner: string;
  entries: ListedEntry[];
  hours: string;
  serverLimitMs: string;
  browserLimitMs: string;
  objectivePercent: string;
  failuresOnly: boolean;
  notes: string;
}

export type ServiceListResult = { ok: true; services: ListedService[] } | { ok: false; problem: string };

const MOST_SERVICES = 500;

/** Columns of a list of services, in the order in which they are given out. */
export const SERVICE_COLUMNS = [
  "name",
  "purpose",
  "owner",
  "entries",
  "hours",
  "server limit ms",
  "browser limit ms",
  "objective percent",
  "failures only",
  "notes",
] as const;

/** "gatefront on nq-gate-web-*", with " for GET /slots | POST /orders" where only these operations belong to the service. */
export const entryInWords = ({ host, process, operations }: ListedEntry): string =>
  `${process} on ${host}${operations?.length ? ` for ${operations.join(" | ")}` : ""}`;

/** "gatefront on nq-gate-web-*; slotkeeper on *": entry points as one cell has them. */
export const entriesInWords = (entries: readonly ListedEntry[]): string => entries.map(entryInWords).join("; ");

/**
 * Reads a list of services: CSV with a head line, or JSON, a list of objects, with the columns of SERVICE_COLUMNS. Entry
 * points are “process on host”, with semicolons between, or in JSON a list of such texts or of { process, host }; what
 * is asked there may be limited, “process on host for GET /a | POST /b”, or { process, host, operations }.
 */
export function parseServices(text: string): ServiceListResult {
  const rows = rowsOfText(
    text,
    ["name", "entries"],
    `The first line has to name the columns: ${SERVICE_COLUMNS.join(", ")}.`,
  );
  if (typeof rows === "string") return { ok: false, problem: rows };
  if (rows.length === 0) return { ok: false, problem: "The list has no services." };
  if (rows.length > MOST_SERVICES) return { ok: false, problem: `A list has at most ${MOST_SERVICES} services.` };
  const services: ListedService[] = [];
  const seen = new Set<string>();
  for (const { at, row } of rows) {
    const read = readRow(at, row);
    if (typeof read === "string") return { ok: false, problem: `${at}: ${read}` };
    if (seen.has(read.name.toLowerCase())) return { ok: false, problem: `${at}: “${read.name}” stands above already.` };
    seen.add(read.name.toLowerCase());
    services.push(read);
  }
  return { ok: true, services };
}

function readRow(at: string, row: GivenRow["row"]): ListedService | string {
  const unknown = Object.keys(row).find(
    (name) => name !== "" && !(SERVICE_COLUMNS as readonly string[]).includes(name),
  );
  if (unknown !== undefined) return `there is no column “${unknown.slice(0, 40)}”: ${SERVICE_COLUMNS.join(", ")}.`;
  const name = cellText(row.name);
  if (!name) return "there is no name.";
  const given = Array.isArray(row.entries) ? row.entries : cellText(row.entries).split(";");
  const entries: ListedService["entries"] = [];
  for (const one of given) {
    if (typeof one === "string" && !one.trim()) continue;
    const entry = entryOf(one);
    if (!entry)
      return `“${(typeof one === "string" ? one : JSON.stringify(one)).trim().slice(0, 80)}” is no entry point: write “process on host”.`;
    entries.push(entry);
  }
  if (!entries.length) return "there is no entry point: write “process on host”.";
  const only = row["failures only"];
  return {
    at,
    name,
    purpose: cellText(row.purpose),
    owner: cellText(row.owner),
    entries,
    hours: cellText(row.hours),
    serverLimitMs: cellText(row["server limit ms"]),
    browserLimitMs: cellText(row["browser limit ms"]),
    objectivePercent: cellText(row["objective percent"]),
    failuresOnly: only === true || /^(yes|true|1)$/i.test(cellText(only)),
    notes: cellText(row.notes),
  };
}

function entryOf(given: unknown): ListedEntry | undefined {
  if (typeof given === "string") {
    const [, process, host, operations] = /^\s*(\S.*?)\s+on\s+(\S+)(?:\s+for\s+(\S.*?))?\s*$/.exec(given) ?? [];
    return process && host ? { process, host, ...limitedTo(operations?.split("|")) } : undefined;
  }
  if (typeof given !== "object" || given === null) return undefined;
  const { host, process, operations } = given as Record<string, unknown>;
  if (!cellText(host) || !cellText(process)) return undefined;
  return {
    host: cellText(host),
    process: cellText(process),
    ...limitedTo(Array.isArray(operations) ? operations.map(cellText) : undefined),
  };
}

/** Names of operations without what is empty; nothing where none is left, which means all of them. */
export function limitedTo(operations: readonly string[] | undefined): { operations?: string[] } {
  const named = (operations ?? []).map((one) => one.trim()).filter(Boolean);
  return named.length > 0 ? { operations: named } : {};
}
