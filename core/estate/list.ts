import { allKinds, hasKind, isHostLike, kindInfo } from "../catalogue/kinds";
import { cellText, rowsOfText, type GivenRow } from "../forms/rows";
import { canonicalAddress } from "./addresses";
import { labelProblem, LISTED, TOLD, type Label, type LabelName } from "./labels";
import { identityKey, type Observation } from "./observation";

/** One thing that a list names. */
export interface ListedRow {
  name: string;
  kind: string;
  addresses: string[];
  site: string;
  serial: string;
  uuid: string;
  macs: string[];
  labels: Label[];
  /** Columns that mean nothing here, kept as they are. */
  more: Record<string, string>;
}

export type ListResult = { ok: true; rows: ListedRow[] } | { ok: false; problem: string };

export const MOST_ROWS = 50_000;
const MOST_COLUMNS = 60;
const MOST_LABELS = 30;
const MOST_PROBLEMS = 3;
/** What a list tells of is not looked at: only that it ought to be there. */
const DEPTH = 0;
const CONFIDENCE = 0.5;

const LABEL_COLUMNS: Readonly<Record<string, LabelName>> = {
  owner: "owner",
  environment: "environment",
  tier: "tier",
  tag: "tag",
  tags: "tag",
  note: "note",
  notes: "note",
};

/**
 * Reads a list of hosts: CSV with a head line (comma, semicolon or tab), or JSON, an array of objects. Columns are
 * name, address (several with blanks between), kind, site, serial, uuid, mac, owner, environment, tier, tags (several with a
 * semicolon or comma between), note; anything else is kept as a fact.
 * @returns the rows, or a sentence that names the first wrong lines
 */
export function parseList(text: string): ListResult {
  const raw = rowsOfText(
    text,
    ["name"],
    "The first line has to name the columns, one of them “name”: name, address, owner …",
  );
  if (typeof raw === "string") return { ok: false, problem: raw };
  if (raw.length === 0) return { ok: false, problem: "The list has no rows." };
  if (raw.length > MOST_ROWS)
    return { ok: false, problem: `A list has at most ${MOST_ROWS.toLocaleString("en-GB")} rows; part it in two.` };
  const rows: ListedRow[] = [];
  const problems: string[] = [];
  const seen = new Map<string, string>();
  for (const { at, row } of raw) {
    const read = readRow(row);
    if (typeof read === "string") problems.push(`${at}: ${read}`);
    else {
      const before = seen.get(read.name.toLowerCase());
      if (before !== undefined) problems.push(`${at}: “${read.name}” stands in ${before.toLowerCase()} already.`);
      seen.set(read.name.toLowerCase(), at);
      rows.push(read);
    }
  }
  if (problems.length === 0) return { ok: true, rows };
  const rest = problems.length - MOST_PROBLEMS;
  return {
    ok: false,
    problem: `${problems.slice(0, MOST_PROBLEMS).join(" ")}${rest > 0 ? ` And ${rest} more.` : ""}`,
  };
}

const textsOf = (value: unknown, between: RegExp): string[] =>
  (Array.isArray(value) ? value.map(cellText) : cellText(value).split(between))
    .map((one) => one.trim())
    .filter(Boolean);

/** @returns a sentence where it cannot be read */
function readRow(row: GivenRow["row"]): ListedRow | string {
  const name = cellText(row.name);
  if (!name) return "there is no name.";
  if (name.length > 253) return "a name has at most 253 characters.";
  if (Object.keys(row).length > MOST_COLUMNS) return `there are more than ${MOST_COLUMNS} columns.`;
  const kind = kindOf(cellText(row.kind));
  if (kind === undefined) return `“${cellText(row.kind)}” is no kind of host: ${hostKinds().join(", ")}.`;
  const addresses: string[] = [];
  for (const one of [...textsOf(row.address, /[\s,;]+/), ...textsOf(row.addresses, /[\s,;]+/)]) {
    const address = canonicalAddress(one);
    if (address === undefined) return `“${one}” is no address.`;
    addresses.push(address);
  }
  const macs: string[] = [];
  for (const one of textsOf(row.mac, /[\s,;]+/)) {
    const mac = one.toLowerCase().replaceAll("-", ":");
    if (!/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(mac)) return `“${one}” is no hardware address.`;
    macs.push(mac);
  }
  const labels: Label[] = Object.entries(LABEL_COLUMNS).flatMap(([column, label]) =>
    (label === "tag" ? textsOf(row[column], /[,;]/) : textsOf([row[column] ?? ""], /$/)).map((value) => ({
      name: label,
      value,
    })),
  );
  if (labels.length > MOST_LABELS) return `there are more than ${MOST_LABELS} tags.`;
  for (const label of labels) {
    const problem = labelProblem(label);
    if (problem !== undefined) return `${label.name}: ${problem}`;
  }
  const known = new Set([...KNOWN_COLUMNS, ...Object.keys(LABEL_COLUMNS)]);
  const more = Object.fromEntries(
    Object.entries(row).flatMap(([column, value]) => {
      const text = Array.isArray(value) ? textsOf(value, /$/).join(", ") : cellText(value);
      return known.has(column) || column === "" || column.length > 60 || !text ? [] : [[column, text.slice(0, 400)]];
    }),
  );
  return {
    name,
    kind,
    addresses,
    site: cellText(row.site).slice(0, 60),
    serial: cellText(row.serial).toLowerCase(),
    uuid: cellText(row.uuid).toLowerCase(),
    macs,
    labels,
    more,
  };
}

const KNOWN_COLUMNS = ["name", "kind", "site", "address", "addresses", "serial", "uuid", "mac"];

const hostKinds = () => allKinds().flatMap(([kind, info]) => (info.isHost ? [kind] : []));

/** A kind by its name or as people call it. */
function kindOf(text: string): string | undefined {
  if (!text) return "host.unknown";
  if (hasKind(text.toLowerCase()) && isHostLike(text.toLowerCase())) return text.toLowerCase();
  return hostKinds().find((kind) => kindInfo(kind).label.toLowerCase() === text.toLowerCase());
}

/** What a list says of a thing: that it ought to be there, and what it is called. */
export function observeListed(row: ListedRow): Observation {
  const [address] = row.addresses;
  return {
    keys: [
      ...(row.uuid ? [identityKey("machine", row.uuid)] : []),
      ...(row.serial.length >= 5 ? [identityKey("serial", row.serial)] : []),
      ...row.macs.map((mac) => identityKey("mac", mac)),
      identityKey("name", row.name.toLowerCase()),
      ...row.addresses.map((one) => identityKey("addr", one)),
    ],
    kind: {
      is: row.kind,
      reason: row.kind === "host.unknown" ? "a list names it, but not what it is" : "a list says so",
      confidence: row.kind === "host.unknown" ? 0.1 : CONFIDENCE,
    },
    name: row.name.split(".")[0] as string,
    ...(address === undefined ? {} : { address }),
    depth: DEPTH,
    readBy: TOLD,
    ...(row.site ? { site: row.site } : {}),
    facts: {},
    ownFacts: Object.fromEntries(Object.entries(row.more).map(([column, value]) => [`${LISTED}${column}`, value])),
    labels: row.labels,
    hearsay: "new",
  };
}
