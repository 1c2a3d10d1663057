import { readInstant } from "./instant";
import type { RelationType } from "../catalogue/kinds";
import { canonicalAddress } from "../estate/addresses";
import { LABELS, labelProblem, type Label } from "../estate/labels";
import type { CompiledMapping, MappedList } from "./mapping";

/** One thing that a platform has, as its interface tells of it. */
export interface PlatformThing {
  list: string;
  /** Region it was told of in; empty where there are none. */
  region: string;
  key: string;
  name: string;
  kind: string;
  state: string;
  /** It is listed still, but not there any more; or there, and not running. */
  isGone: boolean;
  isOff: boolean;
  facts: Record<string, string>;
  labels: Label[];
  sinceMs: number | undefined;
  addresses: string[];
  hardwareAddresses: string[];
  machine: string;
  hostName: string;
  relations: { type: RelationType; list: string; to: string; back: boolean }[];
  figures: ThingFigure[];
}

export interface ThingFigure {
  metric: string;
  unit: string;
  value: number;
}

const MOST_TEXT = 400;
const MOST_KEY = 300;
const MOST_TAGS = 40;
const MOST_RELATIONS = 500;
const MOST_ADDRESSES = 60;

/** Makes a list of whatever an expression gave: nothing, one, or several. */
export const listOf = (value: unknown): unknown[] =>
  value === undefined || value === null ? [] : Array.isArray(value) ? value : [value];

/** A value as text; objects as JSON. */
export function textOf(value: unknown, most = MOST_TEXT): string {
  if (value === undefined || value === null) return "";
  const text =
    typeof value === "string"
      ? value
      : typeof value === "object"
        ? Array.isArray(value) && value.every((one) => typeof one !== "object")
          ? value.join(", ")
          : JSON.stringify(value)
        : String(value);
  const clean = text.replaceAll(/\p{Cc}+/gu, " ").trim();
  return clean.length > most ? `${clean.slice(0, most - 1)}…` : clean;
}

/** Why an item of a list is left out, as a sentence. */
export class ItemProblem extends Error {
  override name = "ItemProblem";
}

/** Reads one item of a list by its mapping. Throws an ItemProblem or an ExpressionFailure. */
export async function readThing(
  mapping: CompiledMapping,
  list: MappedList,
  item: unknown,
  region: string,
): Promise<PlatformThing> {
  const value = (text: string | undefined) => (text === undefined ? undefined : mapping.of(text, item));
  const words = async (text: string | undefined, most?: number) => textOf(await value(text), most);
  const key = textOf(await value(list.key), MOST_KEY + 1);
  if (key === "") throw new ItemProblem(`An item of ${list.name} has no ${list.key}, so it cannot be known again.`);
  if (key.length > MOST_KEY) throw new ItemProblem(`An item of ${list.name} has a key of over ${MOST_KEY} characters.`);
  const state = await words(list.state, 60);
  const facts: Record<string, string> = {};
  for (const [name, text] of Object.entries(list.facts)) {
    const fact = await words(text);
    if (fact !== "") facts[name] = fact;
  }
  return {
    list: list.name,
    region: region || (await words(list.region, 80)),
    key,
    name: (await words(list.label, 120)) || key.slice(0, 120),
    kind: await kindOf(mapping, list, item),
    state,
    isGone: list.gone.includes(state),
    isOff: list.off.includes(state),
    facts,
    labels: await labelsOf(mapping, list, item),
    sinceMs: readInstant(await value(list.since)),
    addresses: listOf(await value(list.addresses))
      .slice(0, MOST_ADDRESSES)
      .flatMap((one) => canonicalAddress(textOf(one)) ?? []),
    hardwareAddresses: listOf(await value(list.hardwareAddresses))
      .slice(0, MOST_ADDRESSES)
      .map((one) => textOf(one).toLowerCase().replaceAll("-", ":"))
      .filter((one) => /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(one)),
    machine: (await words(list.machine, 80)).toLowerCase(),
    hostName: (await words(list.hostName, 253)).toLowerCase(),
    relations: await relationsOf(mapping, list, item),
    figures: await figuresOf(mapping, list, item),
  };
}

async function kindOf(mapping: CompiledMapping, { kind, kinds }: MappedList, item: unknown): Promise<string> {
  for (const { when, is } of kinds) if ((await mapping.of(when, item)) === true) return is;
  return kind;
}

async function labelsOf(mapping: CompiledMapping, list: MappedList, item: unknown): Promise<Label[]> {
  const labels: Label[] = [];
  for (const name of LABELS) {
    const text = list.labels[name];
    const value = text === undefined ? "" : cleaned(textOf(await mapping.of(text, item)));
    if (value !== "") labels.push({ name, value });
  }
  const tags = list.tags === undefined ? undefined : await mapping.of(list.tags, item);
  if (tags !== null && typeof tags === "object" && !Array.isArray(tags))
    for (const [name, value] of Object.entries(tags).slice(0, MOST_TAGS)) {
      const words = textOf(value, 120);
      labels.push({ name: "tag", value: cleaned(words === "" ? name : `${name}=${words}`).slice(0, 200) });
    }
  else
    for (const one of listOf(tags).slice(0, MOST_TAGS)) labels.push({ name: "tag", value: cleaned(textOf(one, 200)) });
  return labels.filter((one) => one.value !== "" && labelProblem(one) === undefined);
}

/** Labels hold neither commas nor colons, which filters are written with. */
const cleaned = (text: string) => text.replaceAll(/[,:]+/g, " ").trim();

async function relationsOf(
  mapping: CompiledMapping,
  list: MappedList,
  item: unknown,
): Promise<PlatformThing["relations"]> {
  const found: PlatformThing["relations"] = [];
  for (const { type, list: other, to, back } of list.relations)
    for (const one of listOf(await mapping.of(to, item)).slice(0, MOST_RELATIONS)) {
      const key = textOf(one, MOST_KEY);
      if (key !== "") found.push({ type, list: other, to: key, back });
    }
  return found;
}

async function figuresOf(mapping: CompiledMapping, list: MappedList, item: unknown): Promise<ThingFigure[]> {
  const figures: ThingFigure[] = [];
  for (const [metric, { value, unit, times }] of Object.entries(list.figures)) {
    const number = numberOf(await mapping.of(value, item));
    if (number !== undefined) figures.push({ metric, unit, value: number * times });
  }
  return figures;
}

/** A number, or text that is one. */
export function numberOf(value: unknown): number | undefined {
  if (typeof value === "boolean") return Number(value);
  const number = typeof value === "number" ? value : typeof value === "string" && value.trim() ? Number(value) : NaN;
  return Number.isFinite(number) ? number : undefined;
}
