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
  description: "Single addresses, blocks (127.20.1.0/24) or spans (127.20.1.10-40), separated by commas.",
  lines: true,
});

const rangeSettings = z.strictObject({
  ranges: rangesText,
  ports: checked(parsePorts).default(USUAL_PORTS).meta({ title: "TCP ports to try" }),
  snmpPort: z.coerce
    .number("The SNMP port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(161)
    .meta({ title: "SNMP port (UDP)" }),
});
export type RangeSettings = z.infer<typeof rangeSettings>;

const spansOf = ({ ranges }: RangeSettings) => {
  const read = parseRanges(ranges);
  return read.ok ? read : { spans: [], count: 0 };
};

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
  covers: (settings) => {
    const { count } = spansOf(settings);
    return {
      text: `${settings.ranges}; ${settings.ports.split(",").length} TCP ports, SNMP on ${settings.snmpPort}`,
      places: count,
    };
  },
  check: async (settings, access, signal) => {
    const { spans, count } = spansOf(settings);
    return discoverRange.check(
      { spans, count, settings, accessAt: (address) => snmpAccessOf(access, address) },
      signal,
    );
  },
  discover: (settings, access, signal, { book }) => {
    const ports = parsePorts(settings.ports);
    return discoverRange.discover(
      {
        spans: spansOf(settings).spans,
        ports: ports.ok ? ports.ports : [],
        snmpPort: settings.snmpPort,
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
