import { z } from "zod";
import {
  hardwareEvents,
  hardwareFigures,
  hardwareKey,
  observeHardware,
  type HardwareDocuments,
} from "#core/platforms/hardware/machine";
import type { Access } from "../../vault/kinds";
import type { Found, PlatformChange, SourceDriver } from "../driver";
import { exceptText, rangesText, spansOf } from "../range/driver";
import { checkEach, lookAtEach } from "../range/each-address";
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
const look = (settings: RedfishSettings, access: readonly Access[], signal: AbortSignal): AsyncGenerator<Found> =>
  lookAtEach(settings, CONTROLLERS_AT_ONCE, signal, async (address, { push, count, fail }) => {
    const place = `${address}:${settings.port}`;
    try {
      const machines = await readController(placeOf(settings, address, access), signal);
      if (met.size >= MOST_REMEMBERED) met.clear();
      met.add(place);
      count(1, machines.length);
      push({ what: "observations", observations: machines.map((one) => observeHardware(address, one)) });
      const changes = machines.flatMap((one) => newsOf(place, hardwareKey(address, one.system), one));
      if (changes.length) push({ what: "changes", changes });
      push({
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
      if (!(error instanceof SilentFailure) || met.has(place)) fail(error.message);
    }
  });

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
  check: (settings, access, signal) =>
    checkEach(settings, async (address) => {
      const [first] = await readController(placeOf(settings, address, access), signal);
      const observed = first && observeHardware(address, first);
      return `${observed?.name}, ${observed?.facts["platform maker"] ?? ""} ${observed?.facts["platform model"] ?? ""}`.trim();
    }),
  look,
  discover: look,
};
