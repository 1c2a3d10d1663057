import { CompiledMapping, parseMapping } from "#core/platforms/mapping";
import { observeThing } from "#core/platforms/observe";
import { readThing, textOf } from "#core/platforms/thing";
import type { Access } from "../../vault/kinds";
import { RestClient } from "./client";
import { readAccount, readRegions } from "./inventory";
import { pagesOf } from "./pages";

/** Items of each list that a preview shows. */
const ITEMS_SHOWN = 5;
const MOST_ANSWER = 20_000;

export interface Trial {
  text: string;
  address: string;
  authority: string;
  access: readonly Access[];
}

/** What a list of a mapping makes of the first page of a live answer. */
export interface ListPreview {
  name: string;
  region: string;
  /** On the first page. */
  items: number;
  problem: string | null;
  rows: {
    key: string;
    name: string;
    kind: string;
    state: string;
    /** Known by, besides its id there. */
    keys: string[];
    facts: string[];
    labels: string[];
    relations: string[];
    figures: string[];
    problem: string | null;
  }[];
}

export interface Preview {
  account: string;
  regions: string[];
  lists: ListPreview[];
}

function clientOf({ text, address, authority, access }: Trial, signal: AbortSignal) {
  const read = parseMapping(text);
  if (!read.ok) throw new Error(read.problems.join(" "));
  const mapping = new CompiledMapping(read.mapping);
  return { mapping, client: new RestClient({ address, authority, mapping: read.mapping, access, signal }) };
}

/** Reads the first page of every list and says what would be observed. Throws with a sentence. */
export async function previewMapping(trial: Trial, signal: AbortSignal): Promise<Preview> {
  const { mapping, client } = clientOf(trial, signal);
  try {
    const account = await readAccount(client, mapping);
    const regions = await readRegions(client, mapping, account);
    const regional = new Set(mapping.mapping.lists.flatMap((one) => (one.perRegion ? [one.name] : [])));
    const lists: ListPreview[] = [];
    for (const list of mapping.mapping.lists) {
      const region = list.perRegion ? (regions[0]?.key ?? "") : "";
      const shown: ListPreview = { name: list.name, region, items: 0, problem: null, rows: [] };
      lists.push(shown);
      try {
        const first = await pagesOf(client, mapping, list, { region, account: account.id }).next();
        const items: unknown[] = first.value ?? [];
        shown.items = items.length;
        for (const item of items.slice(0, ITEMS_SHOWN)) {
          try {
            const thing = await readThing(mapping, list, item, region);
            const observed = observeThing(account, thing, (name) => regional.has(name));
            shown.rows.push({
              key: thing.key,
              name: thing.name,
              kind: thing.kind,
              state: thing.isGone ? `${thing.state} (gone)` : thing.state,
              keys: observed.keys.slice(1).map((one) => one.value),
              facts: Object.entries(thing.facts).map(([name, value]) => `${name}: ${value}`),
              labels: thing.labels.map((one) => `${one.name}: ${one.value}`),
              relations: thing.relations.map((one) => `${one.type} ${one.list} ${one.to}`),
              figures: thing.figures.map((one) => `${one.metric}: ${one.value} ${one.unit}`),
              problem: null,
            });
          } catch (error) {
            shown.rows.push({ ...NOTHING, name: textOf(item, 80), problem: messageOf(error) });
          }
        }
      } catch (error) {
        shown.problem = messageOf(error);
      }
    }
    return { account: `${account.name} (${account.id})`, regions: regions.map((one) => one.name), lists };
  } finally {
    client.close();
  }
}

const NOTHING = { key: "", name: "", kind: "", state: "", keys: [], facts: [], labels: [], relations: [], figures: [] };
const messageOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** What the interface answers at a path, as it came, for whoever writes a mapping. Throws with a sentence. */
export async function answerAt(trial: Trial, path: string, signal: AbortSignal): Promise<string> {
  const { client } = clientOf(trial, signal);
  try {
    const { json } = await client.ask({ method: "GET", path });
    const text = JSON.stringify(json, null, 2);
    return text.length > MOST_ANSWER
      ? `${text.slice(0, MOST_ANSWER)}\n… and ${text.length - MOST_ANSWER} characters more`
      : text;
  } finally {
    client.close();
  }
}
