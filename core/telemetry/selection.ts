import { AGGREGATES, SUMMARY_NAMES, TRANSFORMS, type Aggregate, type Transform } from "./lines";

/** What lines may be grouped by. */
export const GROUPINGS = ["component", "kind", "site", "service", "instance"] as const;
export type Grouping = (typeof GROUPINGS)[number];

/** Which series are drawn, and how: one entry of a page of metrics. */
export interface Selection {
  /** One series by its number; the rest of what narrows down is then left out. */
  series?: number;
  metric?: string;
  component?: number;
  /** Pattern of a kind, with * for anything. */
  kind?: string;
  site?: string;
  /** Services' short names; the members of each. */
  service?: string;
  /** Pattern of an instance, with * for anything. */
  instance?: string;
  transform?: Transform;
  /** All series together as one line, or one for each group. */
  aggregate?: Aggregate;
  by?: Grouping;
  /** Only the highest or lowest of them. */
  pick?: "highest" | "lowest";
  count?: number;
  rank?: (typeof SUMMARY_NAMES)[number];
  axis?: "right";
}

const TEXTS = ["metric", "kind", "site", "service", "instance"] as const;
const NUMBERS = ["series", "component", "count"] as const;
const CHOICES = {
  transform: TRANSFORMS,
  aggregate: AGGREGATES,
  by: GROUPINGS,
  pick: ["highest", "lowest"],
  rank: SUMMARY_NAMES,
  axis: ["right"],
} as const;
const LONGEST = 200;
/** Names that addresses kept before had for some of them. */
const FORMER: Readonly<Record<string, string>> = { turn: "transform", fold: "aggregate" };

/** Writes a selection as one parameter of an address: names and values joined by tildes and semicolons. */
export function writeSelection(selection: Selection): string {
  return Object.entries(selection)
    .filter(([, value]) => value !== undefined && value !== "")
    .map(
      ([name, value]) =>
        `${name}~${String(value).replaceAll(/[%;~]/g, (sign) => encodeURIComponent(sign).replace("~", "%7E"))}`,
    )
    .join(";");
}

/** Reads what `writeSelection` wrote; undefined when it names no series, or anything in it cannot be understood. */
export function readSelection(text: string): Selection | undefined {
  const selection: Record<string, string | number> = {};
  for (const part of text.split(";")) {
    const split = part.indexOf("~");
    if (split < 1) return undefined;
    const written = part.slice(0, split);
    const name = FORMER[written] ?? written;
    let value: string;
    try {
      value = decodeURIComponent(part.slice(split + 1));
    } catch {
      return undefined;
    }
    if (!value || value.length > LONGEST) return undefined;
    if ((TEXTS as readonly string[]).includes(name)) selection[name] = value;
    else if ((NUMBERS as readonly string[]).includes(name)) {
      if (!/^[1-9]\d{0,14}$/.test(value)) return undefined;
      selection[name] = Number(value);
    } else if (name in CHOICES && (CHOICES[name as keyof typeof CHOICES] as readonly string[]).includes(value))
      selection[name] = value;
    else return undefined;
  }
  return selection.series !== undefined || selection.metric !== undefined ? (selection as Selection) : undefined;
}
