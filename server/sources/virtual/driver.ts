import { z } from "zod";
import { observeVirtual, virtualFigures, virtualPrefix } from "#core/platforms/virtual/observe";
import { readVirtualHost, type VirtualHost } from "#core/platforms/virtual/read";
import { withDeadline } from "../../outside/deadline";
import type { Access } from "../../vault/kinds";
import type { Found, SourceDriver, SourceTools } from "../driver";
import { exceptText, rangesText, spansOf } from "../range/driver";
import { checkEach, lookAtEach } from "../range/each-address";
import { probePort } from "../range/tcp";
import { readOverSsh } from "../ssh/read";
import { virtualScript } from "./script";

const virtualSettings = z.strictObject({
  ranges: rangesText,
  except: exceptText,
  sshPort: z.coerce
    .number("The SSH port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(22)
    .meta({ title: "SSH port" }),
  uri: z
    .string()
    .trim()
    .max(200)
    .regex(
      /^[a-z][a-z0-9+.-]*:\/\/[\w./:@-]*(?:\?[\w=&,.-]*)?$/i,
      "Give the address of the connection as the tool takes it, such as qemu:///system.",
    )
    .default("qemu:///system")
    .meta({ title: "Connection", description: "As virsh takes it on the host itself." }),
});
export type VirtualSettings = z.infer<typeof virtualSettings>;

const HOSTS_AT_ONCE = 12;
const SCRIPT_MS = 40_000;
const HOST_MS = 50_000;
const CHECK_MS = 15_000;
const MOST_REMEMBERED = 5_000;

class NoTool extends Error {}

/** What a host told in the look before: rates are what passed since then. */
const before = new Map<string, { host: VirtualHost; atMs: number }>();

async function readHost(
  address: string,
  settings: VirtualSettings,
  access: readonly Access[],
  { hostKeys }: Pick<SourceTools, "hostKeys">,
  [timeoutMs, signal]: readonly [number, AbortSignal],
): Promise<VirtualHost> {
  const place = { address, port: settings.sshPort, access, hostKeys };
  const sections = await readOverSsh(place, virtualScript(settings.uri), timeoutMs, signal);
  if (sections.has("missing"))
    throw new NoTool("It has no virsh. Leave it out of this source if it runs no virtual machines.");
  const host = readVirtualHost(sections);
  if (host.processors === 0)
    throw new NoTool(`virsh does not reach ${settings.uri} there. The user needs the right to read from it.`);
  return host;
}

const many = (count: number, one: string) => `${count} ${one}${count === 1 ? "" : "s"}`;

const look = (
  settings: VirtualSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
): AsyncGenerator<Found> =>
  lookAtEach(settings, HOSTS_AT_ONCE, signal, async (address, { push, count, fail }) => {
    try {
      await withDeadline(HOST_MS, signal, async (ended) => {
        const known = `${address}:${settings.sshPort} ${settings.uri}`;
        // What nobody listens at is no host, unless it was one before.
        if (!before.has(known) && !(await probePort(address, settings.sshPort, [], ended))) return;
        count(1, 0);
        const host = await readHost(address, settings, access, tools, [SCRIPT_MS, ended]);
        const now = { host, atMs: tools.now() };
        const observations = observeVirtual(host, address);
        count(0, observations.length);
        push({ what: "observations", observations });
        push({ what: "measures", measures: virtualFigures(now, before.get(known), address) });
        if (host.isWhole) push({ what: "listed", prefix: virtualPrefix(host, address) });
        if (before.size >= MOST_REMEMBERED) before.clear();
        before.set(known, now);
      });
    } catch (error) {
      if (!signal.aborted) fail(error instanceof Error ? error.message : String(error));
    }
  });

/** Hosts that run virtual machines, read over SSH by the tool of the common open virtualisation library. */
export const virtualDriver: SourceDriver<VirtualSettings> = {
  kind: "virtual",
  label: "Virtual machines by SSH (virsh)",
  about:
    "Reads machines with their waits for processors, memory, interfaces and disks with latency, networks and datastores of hosts that have virsh; by its read-only connection.",
  settings: virtualSettings,
  uses: ["ssh-key", "ssh-password"],
  needsCredential: "Choose an SSH key or an SSH password. Add one under Setup › Credentials first.",
  pollSeconds: 30,
  covers: (settings) => ({
    text: `${settings.ranges}; virsh by SSH on ${settings.sshPort}`,
    places: spansOf(settings).count,
  }),
  check: (settings, access, signal, tools) =>
    checkEach(settings, async (address) => {
      const { name, version, machines, networks, pools } = await readHost(address, settings, access, tools, [
        CHECK_MS,
        signal,
      ]);
      const has = [many(machines.length, "machine"), many(networks.length, "network"), many(pools.length, "datastore")];
      return `${name || "a host"}, ${version || "version unknown"}; ${has.join(", ")}`;
    }),
  look,
  discover: look,
};
