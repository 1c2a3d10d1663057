import { setMaxListeners } from "node:events";
import { z } from "zod";
import {
  hardwareEvents,
  hardwareFigures,
  hardwareKey,
  observeHardware,
  type HardwareDocuments,
} from "#core/platforms/hardware/machine";
import { eachLimited } from "../../outside/limit";
import { Stream } from "../../outside/stream";
import type { Access } from "../../vault/kinds";
import type { Found, PlatformChange, SourceDriver } from "../driver";
import { addressesOf } from "../range/addresses";
import { exceptText, rangesText, spansOf } from "../range/driver";
import { PlatformFailure, SilentFailure } from "../platform/failure";
import { readController } from "./read";
import { authorityText } from "../platform/settings";

const redfishSettings = z.strictObject({
  ranges: rangesText,
  except: exceptText,
  port: z.coerce
    .number("The port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(443)
    .meta({ title: "Port" }),
  protocol: z
    .enum(["https", "http"])
    .default("https")
    .meta({ title: "Protocol", choices: ["HTTPS", "HTTP (no TLS)"] }),
  authority: authorityText,
});
export type RedfishSettings = z.infer<typeof redfishSettings>;

const CONTROLLERS_AT_ONCE = 12;
/** Places at which a controller answered: that it is silent now is worth telling. */
const met = new Set<string>();
const MOST_REMEMBERED = 50_000;
const CHECKED_ADDRESSES = 8;

/** Entries of logs that were seen before, by machine. */
const logged = new Map<string, Set<string>>();

/** What a machine has written into its log since it was looked at before; what stood there at first is no news. */
function newsOf(place: string, key: string, machine: HardwareDocuments): PlatformChange[] {
  const events = hardwareEvents(machine);
  const known = logged.get(`${place} ${key}`);
  if (logged.size >= MOST_REMEMBERED) logged.clear();
  logged.set(`${place} ${key}`, new Set(events.map((one) => one.id)));
  if (!known) return [];
  return events
    .filter((one) => !known.has(one.id))
    .map(({ summary, atMs }) => ({ key, summary, kind: "event" as const, ...(atMs === undefined ? {} : { atMs }) }));
}

const placeOf = (settings: RedfishSettings, address: string, access: readonly Access[]) => ({
  address,
  port: settings.port,
  tls: settings.protocol === "https",
  authority: settings.authority,
  access,
});

/** Every controller, one beside the other; one that hangs holds up nobody. */
async function* look(settings: RedfishSettings, access: readonly Access[], signal: AbortSignal): AsyncGenerator<Found> {
  const stream = new Stream<Found>();
  const counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
  setMaxListeners(0, signal);
  const fail = (address: string, reason: string) => {
    counts.failed++;
    stream.push({ what: "failure", address, reason });
  };
  const read = async (address: string) => {
    try {
      const machines = await readController(placeOf(settings, address, access), signal);
      counts.answering++;
      if (met.size >= MOST_REMEMBERED) met.clear();
      met.add(`${address}:${settings.port}`);
      counts.recognised += machines.length;
      stream.push({ what: "observations", observations: machines.map((one) => observeHardware(address, one)) });
      const changes = machines.flatMap((one) =>
        newsOf(`${address}:${settings.port}`, hardwareKey(address, one.system), one),
      );
      if (changes.length) stream.push({ what: "changes", changes });
      stream.push({
        what: "measures",
        measures: machines.flatMap((one) => {
          const key = hardwareKey(address, one.system);
          return hardwareFigures(one).map((figure) => ({ key, ...figure }));
        }),
      });
    } catch (error) {
      if (signal.aborted) return;
      if (!(error instanceof PlatformFailure)) throw error;
      // An address of a range where nothing has ever answered is none of a controller.
      if (!(error instanceof SilentFailure) || met.has(`${address}:${settings.port}`)) fail(address, error.message);
    }
    counts.tried++;
    stream.push({ what: "progress", ...counts });
  };
  const addresses = addressesOf(spansOf(settings), ({ address, reason }) => fail(address, reason));
  eachLimited(addresses, CONTROLLERS_AT_ONCE, read, signal).then(
    () => stream.end(),
    (error: unknown) => stream.fail(error),
  );
  yield* stream;
}

/** Machines' hardware by their management controllers (DMTF DSP0266): power, fans, temperatures, drives, firmware. */
export const redfishDriver: SourceDriver<RedfishSettings> = {
  kind: "redfish",
  label: "Hardware by Redfish",
  about:
    "Management controllers of machines: power, fans, temperatures, drives and firmware; joined to hosts by UUID, serial number and name.",
  settings: redfishSettings,
  uses: ["basic"],
  needsCredential: "Choose an HTTP user and password. Add one under Setup › Credentials first.",
  pollSeconds: 60,
  covers: (settings) => ({ text: `${settings.ranges}; port ${settings.port}`, places: spansOf(settings).count }),
  check: async (settings, access, signal) => {
    const lines: string[] = [];
    let ok = false;
    let count = 0;
    for await (const address of addressesOf(spansOf(settings), ({ reason }) => lines.push(reason))) {
      if (++count > CHECKED_ADDRESSES) break;
      try {
        const [first] = await readController(placeOf(settings, address, access), signal);
        const observed = first && observeHardware(address, first);
        lines.push(
          `${address}: ${observed?.name}, ${observed?.facts["platform maker"] ?? ""} ${observed?.facts["platform model"] ?? ""}`.trim(),
        );
        ok = true;
      } catch (error) {
        lines.push(`${address}: ${error instanceof Error ? error.message : String(error)}`);
      }
    }
    return { ok, lines };
  },
  look,
  discover: look,
};
