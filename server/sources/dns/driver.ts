import { z } from "zod";
import { observeNames } from "#core/estate/dns-names";
import type { Found, SourceDriver } from "../driver";
import { transferZone, ZoneFailure } from "./zone";

const MOST_ZONES = 100;

const zonesOf = (text: string) => [
  ...new Set(
    text
      .split(/[\s,;]+/)
      .map((one) => one.toLowerCase().replace(/\.$/, ""))
      .filter(Boolean),
  ),
];
const ZONE = /^(?=.{1,253}$)[a-z0-9_](?:[a-z0-9_-]{0,62})(?:\.[a-z0-9_-]{1,63})*$/;

const dnsSettings = z.strictObject({
  server: z
    .string("Give the address or name of a name server.")
    .trim()
    .min(1, "Give the address or name of a name server.")
    .max(253)
    .regex(/^[\w.:-]+$/, "Give the address or name of one name server.")
    .meta({ title: "Name server", description: "One that lets this machine transfer the zones (AXFR)." }),
  zones: z
    .string("Name the zones.")
    .max(20_000)
    .superRefine((text, context) => {
      const zones = zonesOf(text);
      const wrong = zones.find((one) => !ZONE.test(one));
      const problem =
        zones.length === 0
          ? "Name at least one zone."
          : zones.length > MOST_ZONES
            ? `One source reads at most ${MOST_ZONES} zones.`
            : wrong && `“${wrong.slice(0, 60)}” is no name of a zone.`;
      if (problem) context.addIssue({ code: "custom", message: problem });
    })
    .meta({
      title: "Zones",
      description: "One a line: quay.example, and 20.127.in-addr.arpa for the names of addresses.",
      lines: true,
    }),
  port: z.coerce
    .number("The port is a number.")
    .int()
    .min(1, "Ports are from 1 to 65535.")
    .max(65_535, "Ports are from 1 to 65535.")
    .default(53)
    .meta({ title: "DNS port" }),
});
export type DnsSettings = z.infer<typeof dnsSettings>;

/** Names of addresses from the zones of a name server: what has none yet is called so. */
export const dnsDriver: SourceDriver<DnsSettings> = {
  kind: "dns",
  label: "Names from DNS",
  about:
    "Zones of a name server: hosts that are known by their address only get their name, and all get their names as facts.",
  settings: dnsSettings,
  hearsay: "DNS",
  covers: ({ server, zones }) => ({ text: `${zonesOf(zones).join(", ")} at ${server}`, places: zonesOf(zones).length }),
  check: async ({ server, port, zones }, _access, signal) => {
    const lines = await Promise.all(
      zonesOf(zones).map(async (zone) => {
        try {
          const { names, records } = await transferZone({ address: server, port }, zone, signal);
          return { ok: true, line: `${zone}: ${records} records, names of ${names.size} addresses` };
        } catch (error) {
          return { ok: false, line: `${zone}: ${error instanceof Error ? error.message : String(error)}` };
        }
      }),
    );
    return { ok: lines.every((one) => one.ok), lines: lines.map((one) => one.line) };
  },
  async *discover({ server, port, zones }, _access, signal): AsyncGenerator<Found> {
    const counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
    const all = new Map<string, Set<string>>();
    for (const zone of zonesOf(zones)) {
      if (signal.aborted) return;
      counts.tried++;
      try {
        const { names } = await transferZone({ address: server, port }, zone, signal);
        counts.answering++;
        for (const [address, list] of names)
          for (const name of list) all.set(address, (all.get(address) ?? new Set()).add(name));
      } catch (error) {
        if (signal.aborted) return;
        counts.failed++;
        yield { what: "failure", address: zone, reason: error instanceof ZoneFailure ? error.message : String(error) };
      }
      counts.recognised = all.size;
      yield { what: "progress", ...counts };
    }
    const times = new Map<string, number>();
    for (const names of all.values()) for (const name of names) times.set(name, (times.get(name) ?? 0) + 1);
    const shared = new Set([...times].flatMap(([name, count]) => (count > 1 ? [name] : [])));
    yield {
      what: "observations",
      observations: [...all].map(([address, names]) => observeNames(address, [...names], shared)),
    };
  },
  listings: () => [{ what: "own" }],
};
