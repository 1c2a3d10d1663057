import { setMaxListeners } from "node:events";
import { z } from "zod";
import { linuxPoll, type ProcessorTimes } from "#core/estate/linux-poll";
import { linuxSystem } from "#core/estate/linux";
import { recognise } from "#core/estate/recognise";
import type { OpenPort } from "#core/estate/sighting";
import { eachLimited } from "../../outside/limit";
import { withDeadline } from "../../outside/deadline";
import { Stream } from "../../outside/stream";
import { addressesOf } from "../range/addresses";
import { exceptText, rangesText, spansOf } from "../range/driver";
import { probePort } from "../range/tcp";
import type { Access } from "../../vault/kinds";
import type { Found, SourceDriver, SourceTools } from "../driver";
import { readOverSsh, SshFailure } from "./read";
import { LOOK, POLL } from "./scripts";

const sshSettings = z.strictObject({
  ranges: rangesText,
  except: exceptText,
  sshPort: z.coerce
    .number("The SSH port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(22)
    .meta({ title: "SSH port" }),
});
export type SshSettings = z.infer<typeof sshSettings>;

const HOSTS_AT_ONCE = 24;
/** A host that is read may be slow; no host may hold others up. */
const HOST_MS = 45_000;
const SCRIPT_MS = 30_000;
const CHECK_MS = 10_000;
const CHECKED_ADDRESSES = 8;
/** Listeners of a host that are asked what they are. */
const MOST_PROBED = 40;

/** Reads one host, and asks its listeners what they are; undefined where nothing answers on the port. */
async function lookAt(
  address: string,
  settings: SshSettings,
  access: readonly Access[],
  { book, hostKeys }: SourceTools,
  signal: AbortSignal,
): Promise<{ found: Found[]; answers: boolean }> {
  const ssh = await probePort(address, settings.sshPort, [], signal);
  if (!ssh) return { found: [], answers: false };
  const place = { address, port: settings.sshPort, access, hostKeys };
  const system = linuxSystem(await readOverSsh(place, LOOK, SCRIPT_MS, signal));
  const ports = [...new Set(system.listeners.map((one) => one.port))].filter((port) => port !== settings.sshPort);
  const open: OpenPort[] = [ssh];
  await eachLimited(ports.slice(0, MOST_PROBED), 8, async (port) => {
    const answer = await probePort(address, port, book.questions, signal);
    if (answer) open.push(answer);
  });
  open.sort((a, b) => a.port - b.port);
  const hostKey = hostKeys.known(address, settings.sshPort);
  const recognised = recognise(
    { address, open, system, readBy: "ssh", ...(hostKey ? { hostKey } : {}), failures: [] },
    book,
  );
  return {
    found: recognised ? [{ what: "observations", observations: [recognised.host, ...recognised.parts] }] : [],
    answers: true,
  };
}

async function* discover(
  settings: SshSettings,
  access: readonly Access[],
  signal: AbortSignal,
  tools: SourceTools,
): AsyncGenerator<Found> {
  const stream = new Stream<Found>();
  const counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
  const look = async (address: string) => {
    try {
      const { found, answers } = await withDeadline(HOST_MS, signal, (ended) =>
        lookAt(address, settings, access, tools, ended),
      );
      if (answers) counts.answering++;
      if (found.length) counts.recognised++;
      for (const one of found) stream.push(one);
    } catch (error) {
      if (signal.aborted) return;
      counts.answering++;
      counts.failed++;
      stream.push({ what: "failure", address, reason: error instanceof Error ? error.message : String(error) });
    }
    counts.tried++;
    stream.push({ what: "progress", ...counts });
  };
  // Every host under way listens to it.
  setMaxListeners(0, signal);
  const addresses = addressesOf(spansOf(settings), (failure) => {
    counts.failed++;
    stream.push(failure);
  });
  eachLimited(addresses, HOSTS_AT_ONCE, look, signal).then(
    () => stream.end(),
    (error: unknown) => stream.fail(error),
  );
  yield* stream;
}

/** Processor times of the poll before, by host: loads are what passed since then. */
const before = new Map<string, ProcessorTimes>();
const MOST_REMEMBERED = 50_000;

/** Linux hosts, read over SSH by commands that change nothing. */
export const sshDriver: SourceDriver<SshSettings> = {
  kind: "ssh",
  label: "Linux hosts by SSH",
  about:
    "Reads processes with their units and sockets, packages, disks and timers; runs nothing that changes anything.",
  settings: sshSettings,
  uses: ["ssh-key", "ssh-password"],
  needsCredential: "Choose an SSH key or an SSH password. Add one under Setup › Credentials first.",
  pollSeconds: 60,
  findsHosts: true,
  covers: (settings) => ({ text: `${settings.ranges}; SSH on ${settings.sshPort}`, places: spansOf(settings).count }),
  check: async (settings, access, signal, tools) => {
    const first: string[] = [];
    const unnamed: string[] = [];
    for await (const address of addressesOf(spansOf(settings), ({ reason }) => unnamed.push(reason)))
      if (first.push(address) >= CHECKED_ADDRESSES) break;
    const lines = await Promise.all(
      first.map(async (address) => {
        try {
          const place = { address, port: settings.sshPort, access, hostKeys: tools.hostKeys };
          const { sysName, sysDescr, listeners } = linuxSystem(await readOverSsh(place, LOOK, CHECK_MS, signal));
          const nobodys = listeners.filter((one) => one.pid === 0).length;
          const hidden = nobodys ? `; ${nobodys} of ${listeners.length} listeners do not show whose they are` : "";
          return { ok: true, line: `${address}: ${sysName}, “${sysDescr}”${hidden}` };
        } catch (error) {
          return { ok: false, line: `${address}: ${error instanceof SshFailure ? error.message : String(error)}` };
        }
      }),
    );
    return { ok: lines.some((one) => one.ok), lines: [...unnamed, ...lines.map((one) => one.line)] };
  },
  discover,
  listings: (settings) => [{ what: "addresses", spans: spansOf(settings).spans }],
  poll: async ({ address, settings, access, tools }, { timeoutMs }) => {
    const place = { address, port: settings.sshPort, access, hostKeys: tools.hostKeys };
    const sections = await readOverSsh(place, POLL, Math.max(4000, timeoutMs * 4), new AbortController().signal);
    const { poll, times } = linuxPoll(sections, before.get(address));
    if (before.size >= MOST_REMEMBERED) before.clear();
    before.set(address, times);
    return poll;
  },
  processes: async ({ address, settings, access, tools }) => {
    const place = { address, port: settings.sshPort, access, hostKeys: tools.hostKeys };
    const sections = await readOverSsh(place, POLL, SCRIPT_MS, new AbortController().signal);
    return linuxPoll(sections, undefined).processes;
  },
};
