import { createHash } from "node:crypto";
import { z } from "zod";
import { nativeKey, type PlatformAccount } from "#core/platforms/observe";
import { PRIVATE_CLOUD } from "#core/platforms/private-cloud/mapping";
import { figuresBetween, readDiagnostics, type Diagnostics } from "#core/platforms/private-cloud/diagnostics";
import { listOf, textOf } from "#core/platforms/thing";
import { eachLimited } from "../../outside/limit";
import type { Access } from "../../vault/kinds";
import type { Checked, Found, Measure, PlatformMemory, SourceDriver, SourceTools } from "../driver";
import { PlatformFailure } from "../platform/failure";
import { Look, readAccount, readRegions } from "../platform/inventory";
import { pagesOf } from "../platform/pages";
import { authorityText } from "../platform/settings";
import { CatalogueClient } from "./catalogue";

const settingsSchema = z.strictObject({
  host: z
    .string()
    .trim()
    .min(1, "Give the host of the identity service.")
    .max(253)
    .regex(/^[\w.:[\]-]+$/, "A host is a name or an address, without https:// and path.")
    .meta({ title: "Host", description: "Where the identity service answers." }),
  port: z.coerce
    .number("The port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(5000)
    .meta({ title: "Port" }),
  path: z
    .string()
    .trim()
    .max(200)
    .regex(/^(?:\/[\w./-]*)?$/, "A path begins with a slash.")
    .default("")
    .meta({ title: "Path", description: "Where it is not at the root, such as /identity." }),
  tls: z
    .enum(["yes", "no"])
    .default("yes")
    .meta({ title: "TLS", description: "“no” only where passwords may go in the clear." }),
  project: z.string().trim().min(1, "Give the project.").max(200).meta({ title: "Project" }),
  domain: z.string().trim().min(1).max(200).default("Default").meta({ title: "Domain" }),
  authority: authorityText,
});
export type PrivateCloudSettings = z.infer<typeof settingsSchema>;

const addressOf = ({ host, port, path, tls }: PrivateCloudSettings) =>
  `${tls === "yes" ? "https" : "http"}://${host.includes(":") && !host.startsWith("[") ? `[${host}]` : host}:${port}${path}`;

/** Clients by settings and credential: a token is good for an hour, a look is over in seconds. */
const clients = new Map<string, CatalogueClient>();
const MOST_KEPT = 50;

function clientFor(settings: PrivateCloudSettings, access: readonly Access[], signal: AbortSignal): CatalogueClient {
  const key = createHash("sha256")
    .update(JSON.stringify([settings, access.map((one) => [one.id, one.fields, one.destinations])]))
    .digest("hex");
  const { authority, project, domain } = settings;
  const known = clients.get(key);
  const client =
    known?.under(signal) ??
    new CatalogueClient({ address: addressOf(settings), authority, project, domain, access, signal });
  if (clients.size >= MOST_KEPT && !known) {
    for (const one of clients.values()) one.close();
    clients.clear();
  }
  clients.set(key, client);
  return client;
}

/** Instances asked for their counters in one look; of more, the others have their turn in the next. */
const MOST_ASKED = 400;
const ASKED_AT_ONCE = 6;
const MOST_REMEMBERED = 20_000;

/** Counters of the look before, and whose turn it is. */
class CounterMemory {
  readonly before = new Map<string, Diagnostics>();
  turn = 0;
}
const memories = new Map<string, CounterMemory>();

async function* look(
  settings: PrivateCloudSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
  memory: PlatformMemory,
): AsyncGenerator<Found> {
  const client = clientFor(settings, access, signal);
  const running: { key: string; id: string; region: string }[] = [];
  let account: PlatformAccount | undefined;
  for await (const found of new Look(client, PRIVATE_CLOUD, memory, tools.now, signal).read()) {
    if (found.what === "account") account = await readAccount(client, PRIVATE_CLOUD);
    if (found.what === "measures" && account) running.push(...runningOf(found.measures, account));
    yield found;
  }
  if (!account || signal.aborted) return;
  const key = `${addressOf(settings)} ${account.id}`;
  let counters = memories.get(key);
  if (!counters) {
    if (memories.size >= MOST_KEPT) memories.clear();
    memories.set(key, (counters = new CounterMemory()));
  }
  yield* countersOf(client, running, counters, tools.now, signal);
}

/** Instances that are on, by what the look measured of them. */
function runningOf(measures: readonly Measure[], account: PlatformAccount) {
  const prefix = nativeKey(account, "", "", "").split("/").slice(0, 2).join("/");
  return measures.flatMap(({ key, metric, value }) => {
    const [, , region = "", list = "", id = ""] = key.split("/");
    const isOurs = key.startsWith(`${prefix}/`) && list === "instances" && metric === "guest.running" && value === 1;
    return isOurs ? [{ key, id: decodeURIComponent(id), region: decodeURIComponent(region) }] : [];
  });
}

/** What instances did since the look before, as their compute service counts it. */
async function* countersOf(
  client: CatalogueClient,
  running: readonly { key: string; id: string; region: string }[],
  memory: CounterMemory,
  nowMs: () => number,
  signal: AbortSignal,
): AsyncGenerator<Found> {
  const from = running.length > MOST_ASKED ? memory.turn % running.length : 0;
  const asked = [...running.slice(from), ...running.slice(0, from)].slice(0, MOST_ASKED);
  memory.turn = from + asked.length;
  if (memory.before.size > MOST_REMEMBERED) memory.before.clear();
  const measures: Measure[] = [];
  let failure: PlatformFailure | undefined;
  await eachLimited(
    asked,
    ASKED_AT_ONCE,
    async ({ key, id, region }) => {
      // Once it is refused, or nothing answers, it is so for all.
      if (failure && (failure.status === 403 || failure.status === 0)) return;
      try {
        const path = `/compute/${encodeURIComponent(region)}/servers/${encodeURIComponent(id)}/diagnostics`;
        const { json } = await client.ask({ method: "GET", path });
        const now = readDiagnostics(json, nowMs());
        if (!now) return;
        for (const figure of figuresBetween(memory.before.get(key), now))
          measures.push({ key, instance: "", ...figure });
        memory.before.set(key, now);
      } catch (error) {
        if (!(error instanceof PlatformFailure)) throw error;
        // One that ended meanwhile is not there any more, or is busy changing.
        if (error.status !== 404 && error.status !== 409) failure = error;
      }
    },
    signal,
  );
  yield { what: "measures", measures };
  if (failure) yield { what: "failure", address: "counters of instances", reason: failure.message };
}

async function check(settings: PrivateCloudSettings, access: readonly Access[], signal: AbortSignal): Promise<Checked> {
  const lines: string[] = [];
  try {
    const client = new CatalogueClient({
      address: addressOf(settings),
      authority: settings.authority,
      project: settings.project,
      domain: settings.domain,
      access,
      signal,
    });
    const account = await readAccount(client, PRIVATE_CLOUD);
    lines.push(`Project ${account.name} (${account.id}).`);
    const regions = await readRegions(client, PRIVATE_CLOUD, account);
    lines.push(
      regions.length
        ? `Regions: ${regions.map((one) => one.name).join(", ")}.`
        : "Its catalogue has no service that this credential may be used for: add the hosts of the services to its destinations.",
    );
    let answered = 0;
    for (const list of PRIVATE_CLOUD.mapping.lists) {
      const [region] = regions;
      if (!region) break;
      try {
        const pages = pagesOf(client, PRIVATE_CLOUD, list, { region: region.key, account: account.id });
        const { value: items = [] } = await pages.next();
        const first = listOf(items)[0];
        const name = first === undefined ? "" : textOf(await PRIVATE_CLOUD.of(list.label, first), 80);
        lines.push(
          `${list.name} in ${region.name}: ${items.length} on the first page${name ? `, the first is ${name}` : ""}.`,
        );
        answered++;
      } catch (error) {
        lines.push(`${list.name} in ${region.name}: ${error instanceof Error ? error.message : String(error)}`);
      }
    }
    return { ok: answered > 0, lines };
  } catch (error) {
    return { ok: false, lines: [...lines, error instanceof Error ? error.message : String(error)] };
  }
}

/** Private clouds by the open interfaces that such clouds serve. */
export const privateCloudDriver: SourceDriver<PrivateCloudSettings> = {
  kind: "private-cloud",
  label: "Private cloud",
  about:
    "Reads regions, hypervisors, instances with their counters, sizes, images, volumes and networks by the open interfaces of private clouds: identity v3, compute v2.1, block storage v3, network v2, image v2.",
  settings: settingsSchema,
  uses: ["basic"],
  needsCredential: "Choose a user with its password (HTTP user and password). Add one under Setup › Credentials first.",
  pollSeconds: 15,
  covers: (settings) => ({ text: `project ${settings.project} at ${settings.host}:${settings.port}`, places: 1 }),
  check,
  look,
  discover: look,
};
