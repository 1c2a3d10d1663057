import { z } from "zod";
import { parsePorts, parseRanges, spansWithin } from "#core/estate/ranges";
import type { SourceDriver } from "../driver";
import { discoverRange } from "./discover";
import { pollHost, readProcesses } from "./snmp";
import { snmpAccessOf } from "./snmp-access";

/** Ports that common services listen on. */
export const USUAL_PORTS = "22, 25, 80, 389, 443, 1883, 5432, 5672, 8080, 8443";

const checked = (parse: (text: string) => { ok: true } | { ok: false; problem: string }) =>
  z.string("Fill this in.").superRefine((text, context) => {
    const read = parse(text);
    if (!read.ok) context.addIssue({ code: "custom", message: read.problem });
  });

export const rangesText = checked(parseRanges).meta({
  title: "Addresses",
  description:
    "Addresses of IPv4 or IPv6, blocks (127.20.1.0/24), spans (127.20.1.10-40) or host names, separated by commas.",
  lines: true,
});
export const exceptText = z
  .string()
  .default("")
  .superRefine((text, context) => {
    const read = text.trim() ? parseRanges(text) : { ok: true as const };
    if (!read.ok) context.addIssue({ code: "custom", message: read.problem });
  })
  .meta({ title: "Leave out", description: "Addresses among them that are never asked." });

const rangeSettings = z.strictObject({
  ranges: rangesText,
  except: exceptText,
  ports: checked(parsePorts).default(USUAL_PORTS).meta({ title: "TCP ports to try" }),
  snmpPort: z.coerce
    .number("The SNMP port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(161)
    .meta({ title: "SNMP port (UDP)" }),
  perSecond: z.coerce
    .number("Addresses a second are a number.")
    .int("Addresses a second are a whole number.")
    .min(0, "0 is for no limit.")
    .max(10_000, "At most 10,000 a second.")
    .default(0)
    .meta({ title: "Looks a second at most, 0 for no limit" }),
});
export type RangeSettings = z.infer<typeof rangeSettings>;

/** What a source looks at, without what it leaves out. */
export function spansOf({ ranges, except }: { ranges: string; except?: string }) {
  const read = parseRanges(ranges, except);
  return read.ok ? read : { spans: [], names: [], count: 0 };
}

/** Address ranges, looked at by TCP, banner and HTTP, and read by SNMP. */
export const rangeDriver: SourceDriver<RangeSettings> = {
  kind: "range",
  label: "Address range with SNMP",
  about: "Sweeps addresses by TCP, banner and HTTP, and reads what answers by SNMP v1, v2c or v3.",
  settings: rangeSettings,
  credential: {
    label: "SNMP community",
    help: "Kept encrypted and never shown again. A hyphen if these addresses have none.",
    kind: "snmp-community",
    field: "community",
    destinations: ({ ranges }) => ranges,
    serves: (settings, before) =>
      settings.snmpPort === before.snmpPort && spansWithin(spansOf(settings).spans, spansOf(before).spans),
  },
  uses: ["snmp-community", "snmp-user", "ssh-key", "ssh-password"],
  pollSeconds: 300,
  findsHosts: true,
  covers: (settings) => {
    const { count } = spansOf(settings);
    return {
      text: `${settings.ranges}; ${settings.ports.split(",").length} TCP ports, SNMP on ${settings.snmpPort}`,
      places: count,
    };
  },
  check: async (settings, access, signal) => {
    const { spans, names, count } = spansOf(settings);
    return discoverRange.check(
      { spans, names, count, settings, accessAt: (address) => snmpAccessOf(access, address) },
      signal,
    );
  },
  discover: (settings, access, signal, { book }) => {
    const ports = parsePorts(settings.ports);
    return discoverRange.discover(
      {
        spans: spansOf(settings).spans,
        names: spansOf(settings).names,
        ports: ports.ok ? ports.ports : [],
        snmpPort: settings.snmpPort,
        perSecond: settings.perSecond,
        accessAt: (address) => snmpAccessOf(access, address),
        book,
      },
      signal,
    );
  },
  listings: (settings) => [{ what: "addresses", spans: spansOf(settings).spans }],
  poll: ({ address, settings, access }, also) =>
    pollHost({ address, port: settings.snmpPort, access: snmpAccessOf(access, address) }, also, also.timeoutMs),
  processes: ({ address, settings, access }) =>
    readProcesses({ address, port: settings.snmpPort, access: snmpAccessOf(access, address) }),
};
