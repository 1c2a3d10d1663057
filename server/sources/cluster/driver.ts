import { z } from "zod";
import { CLUSTER_LIST_NAMES, CLUSTER_LISTS } from "#core/platforms/cluster/lists";
import { nativeListed } from "#core/platforms/native";
import type { Access } from "../../vault/kinds";
import type { Checked, Found, PlatformMemory, SourceDriver, SourceTools } from "../driver";
import { ClusterClient } from "./client";
import { ClusterReader } from "./follow";
import { PlatformFailure } from "../platform/failure";
import { authorityText } from "../platform/settings";

const clusterSettings = z.strictObject({
  address: z
    .url({ protocol: /^https?$/, error: "Give an address that begins with https://." })
    .max(300)
    .transform((text) => text.replace(/\/+$/, ""))
    .meta({ title: "Address", description: "Of its interface, such as https://10.0.5.1:6443." }),
  cluster: z
    .string("Give the cluster a name.")
    .trim()
    .min(1, "Give the cluster a name.")
    .max(60)
    .meta({ title: "Name of the cluster", description: "As people call it; the interface does not say." }),
  authority: authorityText,
});
export type ClusterSettings = z.infer<typeof clusterSettings>;

async function* read(
  { address, authority, cluster }: ClusterSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
  memory: PlatformMemory,
  how: "read" | "follow",
): AsyncGenerator<Found> {
  const client = new ClusterClient({ address, authority, access }, signal);
  try {
    yield* new ClusterReader(client, cluster, memory, tools.now, signal)[how]();
  } finally {
    client.close();
  }
}

async function check(
  { address, authority }: ClusterSettings,
  access: readonly Access[],
  signal: AbortSignal,
): Promise<Checked> {
  const lines: string[] = [];
  let failed = 0;
  try {
    const client = new ClusterClient({ address, authority, access }, signal);
    try {
      const version = await client.json("/version");
      lines.push(`Version ${String(version.gitVersion ?? "unknown")}.`);
      for (const list of CLUSTER_LIST_NAMES) {
        try {
          const { items } = await client.json(`${CLUSTER_LISTS[list].path}?limit=1`);
          lines.push(`${list}: ${Array.isArray(items) && items.length ? "may be read" : "may be read, and is empty"}.`);
        } catch (error) {
          failed++;
          lines.push(`${list}: ${error instanceof Error ? error.message : String(error)}`);
        }
      }
    } finally {
      client.close();
    }
    return { ok: failed === 0, lines };
  } catch (error) {
    return { ok: false, lines: [...lines, error instanceof Error ? error.message : String(error)] };
  }
}

/** Lists of workloads that have a number of copies of their own. */
const SCALED = /^(deployments|statefulsets)\/([a-z0-9.-]+)\/([a-z0-9.-]+)$/;

/** Sets how many copies of a workload are wanted, only if nobody else changed that meanwhile. */
async function scale(
  { address, authority, cluster }: ClusterSettings,
  access: readonly Access[],
  keys: readonly string[],
  wanted: (now: number) => { copies: number } | { problem: string },
  signal: AbortSignal,
): Promise<{ before: number; after: number } | { problem: string }> {
  const found = keys
    .flatMap((key) => nativeListed(key) ?? [])
    .flatMap(({ list, id }) => SCALED.exec(`${list}/${id}`) ?? []);
  const [, list, space, name] = found;
  if (!list || !space || !name) throw new PlatformFailure("It has no number of copies that could be changed.");
  const client = new ClusterClient({ address, authority, access }, signal);
  try {
    const path = `/apis/apps/v1/namespaces/${space}/${list}/${name}/scale`;
    const now = await client.json(path);
    const { resourceVersion } = (now.metadata ?? {}) as { resourceVersion?: string };
    const before = Number((now.spec as { replicas?: number } | undefined)?.replicas ?? 0);
    const asked = wanted(before);
    if ("problem" in asked) return asked;
    const after = await client.merge(path, {
      ...(resourceVersion ? { metadata: { resourceVersion } } : {}),
      spec: { replicas: asked.copies },
    });
    return { before, after: Number((after.spec as { replicas?: number } | undefined)?.replicas ?? asked.copies) };
  } catch (error) {
    if (error instanceof PlatformFailure && error.status === 409)
      throw new PlatformFailure(
        `Somebody else changed ${name} on ${cluster} just then; nothing was changed. Try again.`,
      );
    throw error;
  } finally {
    client.close();
  }
}

/** Container clusters, by their own interface: what runs there is followed from one change to the next. */
export const clusterDriver: SourceDriver<ClusterSettings> = {
  kind: "cluster",
  label: "Container cluster",
  about:
    "Nodes, name spaces, workloads and containers with their limits; follows every change, and roll-outs as changes.",
  settings: clusterSettings,
  uses: ["bearer", "client-certificate"],
  needsCredential:
    "Choose the token of a service account that may read (HTTP bearer token), or a client certificate. Add one under Setup › Credentials first.",
  pollSeconds: 15,
  covers: ({ cluster, address }) => ({ text: `${cluster} at ${new URL(address).host}`, places: 1 }),
  check,
  discover: (settings, access, signal, tools, memory) => read(settings, access, signal, tools, memory, "read"),
  follow: (settings, access, signal, tools, memory) => read(settings, access, signal, tools, memory, "follow"),
  scale,
};
