import { createHash } from "node:crypto";
import { z } from "zod";
import { CompiledMapping, parseMapping, type Mapping } from "#core/platforms/mapping";
import { listOf, textOf } from "#core/platforms/thing";
import type { Access } from "../../vault/kinds";
import type { Checked, Found, PlatformMemory, SourceDriver, SourceTools } from "../driver";
import { RestClient } from "./client";
import { PlatformFailure } from "./failure";
import { Look, readAccount, readRegions } from "./inventory";
import { pagesOf } from "./pages";
import { CREDENTIAL_OF } from "./sign-in";
import { authorityText } from "./settings";

const platformSettings = z.strictObject({
  address: z
    .url({ protocol: /^https?$/, error: "Give an address that begins with https:// or http://." })
    .max(300, "An address has at most 300 characters.")
    .refine((text) => {
      if (!URL.canParse(text)) return true;
      const { username, password, search, hash } = new URL(text);
      return username === "" && password === "" && search === "" && hash === "";
    }, "Give the root of the interface: no user, no query.")
    .transform((text) => text.replace(/\/+$/, ""))
    .meta({ title: "Address", description: "Root of its interface, such as https://api.cloud.example." }),
  mapping: z
    .string("Choose a mapping.")
    .trim()
    .min(1, "Choose a mapping.")
    .max(60)
    .meta({ title: "Mapping", description: "How its interface is read.", choicesFrom: "mappings" }),
  authority: authorityText,
});
export type PlatformSettings = z.infer<typeof platformSettings>;

const compiled = new Map<string, CompiledMapping>();
const MOST_KEPT = 200;

/** A mapping by its name, compiled; its text is compiled once. */
function mappingOf(name: string, tools: SourceTools): CompiledMapping {
  const text = tools.mapping(name);
  if (text === undefined)
    throw new PlatformFailure(`There is no mapping “${name}” any more. Choose another one for this source.`);
  return compiledOf(text);
}

function compiledOf(text: string): CompiledMapping {
  const known = compiled.get(text);
  if (known) return known;
  const read = parseMapping(text);
  if (!read.ok) throw new PlatformFailure(`The mapping cannot be used. ${read.problems.join(" ")}`);
  if (compiled.size >= MOST_KEPT) compiled.clear();
  const made = new CompiledMapping(read.mapping);
  compiled.set(text, made);
  return made;
}

const clients = new Map<string, RestClient>();

/** The client of a place, with its token and connections kept from look to look. */
function clientFor(
  { address, authority }: PlatformSettings,
  mapping: Mapping,
  access: readonly Access[],
  signal: AbortSignal,
): RestClient {
  const key = createHash("sha256")
    .update(
      JSON.stringify([
        address,
        authority,
        mapping.signIn,
        mapping.limits,
        access.map((one) => [one.id, one.fields, one.destinations]),
      ]),
    )
    .digest("hex");
  const known = clients.get(key);
  if (known) return known.under(signal);
  if (clients.size >= MOST_KEPT) {
    for (const one of clients.values()) one.close();
    clients.clear();
  }
  const made = new RestClient({ address, authority, mapping, access, signal });
  clients.set(key, made);
  return made;
}

async function* look(
  settings: PlatformSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
  memory: PlatformMemory,
): AsyncGenerator<Found> {
  const mapping = mappingOf(settings.mapping, tools);
  yield* new Look(clientFor(settings, mapping.mapping, access, signal), mapping, memory, tools.now, signal).read();
}

/** One page of each list, in words. */
async function check(
  settings: PlatformSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
): Promise<Checked> {
  const lines: string[] = [];
  try {
    const mapping = mappingOf(settings.mapping, tools);
    const client = clientFor(settings, mapping.mapping, access, signal);
    const account = await readAccount(client, mapping);
    lines.push(`Account ${account.name} (${account.id}).`);
    const regions = await readRegions(client, mapping, account);
    if (regions.length) lines.push(`Regions: ${regions.map((one) => one.name).join(", ")}.`);
    let failed = 0;
    for (const list of mapping.mapping.lists) {
      const [region = ""] = list.perRegion ? regions.map((one) => one.key) : [];
      try {
        const pages = pagesOf(client, mapping, list, { region, account: account.id });
        const { value: items = [] } = await pages.next();
        const first = listOf(items)[0];
        const name = first === undefined ? "" : textOf(await mapping.of(list.label, first), 80);
        lines.push(
          `${list.name}${region ? ` in ${region}` : ""}: ${items.length} on the first page${name ? `, the first is ${name}` : ""}.`,
        );
      } catch (error) {
        failed++;
        lines.push(`${list.name}: ${error instanceof Error ? error.message : String(error)}`);
      }
    }
    return { ok: failed === 0, lines };
  } catch (error) {
    return { ok: false, lines: [...lines, error instanceof Error ? error.message : String(error)] };
  }
}

/** Clouds and managers whose REST interface a mapping describes. */
export const platformDriver: SourceDriver<PlatformSettings> = {
  kind: "platform",
  label: "Cloud or manager (REST)",
  about:
    "Reads accounts, regions, instances, volumes, balancers and what else its interface lists, as a mapping says; what it ends leaves at once.",
  settings: platformSettings,
  uses: [...new Set(Object.values(CREDENTIAL_OF).filter((one) => one !== undefined))],
  pollSeconds: 15,
  covers: ({ address, mapping }) => ({ text: `${mapping} at ${new URL(address).host}`, places: 1 }),
  check,
  look,
  discover: look,
};
