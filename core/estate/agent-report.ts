import { z } from "zod";
import { canonicalAddress } from "./addresses";
import type { HostTables } from "./parts";
import type { SystemSighting } from "./sighting";
import { isDisk } from "./storage";

const short = z.string().max(400);
const count = z.int().min(0).max(Number.MAX_SAFE_INTEGER);
const port = z.int().min(0).max(65_535);
const address = z
  .string()
  .max(60)
  .transform((text, context) => {
    const canonical = canonicalAddress(text);
    if (canonical === undefined) context.addIssue(`“${text}” is no address.`);
    return canonical ?? "";
  });

const tables = z.object({
  software: z
    .array(
      z.object({
        pid: count,
        name: short,
        path: short,
        parameters: short,
        parent: count,
        user: short,
        unit: short.optional(),
        container: z
          .string()
          .regex(/^[0-9a-f]{64}$/)
          .optional(),
      }),
    )
    .max(10_000),
  listeners: z.array(z.object({ address, port, pid: count })).max(20_000),
  connections: z
    .array(z.object({ localAddress: address, localPort: port, remoteAddress: address, remotePort: port, pid: count }))
    .max(20_000),
});

const system = tables.extend({
  description: short,
  processors: z.int().min(0).max(100_000),
  memory: z.object({ totalBytes: count, usedBytes: count }),
  disks: z.array(z.object({ mount: short, sizeBytes: count, usedBytes: count })).max(2_000),
  interfaces: z
    .array(z.object({ name: short, physAddress: short, up: z.boolean(), speedMbps: z.number().min(0).max(1e9) }))
    .max(5_000),
  addresses: z.array(address).max(5_000),
  packages: z.array(z.object({ name: short, version: short })).max(20_000),
  uuid: short,
  serial: short,
  model: short,
});

/** What an agent says runs on its host: all of it, or who talks to whom only. */
export const agentReport = z
  .object({
    hostName: z.string().trim().min(1).max(253),
    hostId: z.string().max(120),
    site: z.string().trim().max(60).default(""),
    everySeconds: z.int().min(1).max(3_600),
    system: system.optional(),
    tables: tables.optional(),
  })
  .refine((one) => (one.system === undefined) !== (one.tables === undefined), "Give either system or tables.");
export type AgentReport = z.infer<typeof agentReport>;

export const tablesOfReport = ({ software, listeners, connections }: z.infer<typeof tables>): HostTables => ({
  software: software.map(({ unit, container, ...row }) => ({
    ...row,
    ...(unit ? { unit } : {}),
    ...(container ? { container } : {}),
  })),
  listeners,
  connections,
});

/** Serial numbers and the like that makers leave as they were. */
const meant = (text: string) =>
  !/^(none|not specified|to be filled.*|default string|0+|system serial number)$/i.test(text);

/** The system that a host is, by what its agent says. */
export function systemOfReport(hostName: string, given: z.infer<typeof system>): SystemSighting {
  const { memory, disks, interfaces } = given;
  return {
    sysDescr: given.description || "Linux",
    sysObjectId: "",
    sysContact: "",
    sysName: hostName,
    sysLocation: "",
    sysServices: 72,
    processors: given.processors,
    interfaces: interfaces.map((one, index) => ({
      index: index + 1,
      name: one.name,
      type: 6,
      speedBps: one.speedMbps * 1e6,
      physAddress: /^(00:){5}00$/.test(one.physAddress) ? "" : one.physAddress,
      up: one.up,
    })),
    storage: [
      {
        index: 1,
        label: "Memory",
        type: "ram" as const,
        unitBytes: 1024,
        sizeUnits: Math.round(memory.totalBytes / 1024),
        usedUnits: Math.round(memory.usedBytes / 1024),
      },
      ...disks.map((one, index) => ({
        index: index + 10,
        label: one.mount,
        type: "disk" as const,
        unitBytes: 1024,
        sizeUnits: Math.round(one.sizeBytes / 1024),
        usedUnits: Math.round(one.usedBytes / 1024),
      })),
    ].filter((row) => row.type !== "disk" || isDisk(row, false)),
    ...tablesOfReport(given),
    neighbours: [],
    addresses: given.addresses.filter((one) => !/^127\.|^::1$|^fe80:/.test(one)).sort(),
    packages: given.packages,
    ...(given.uuid && meant(given.uuid) ? { uuid: given.uuid.toLowerCase() } : {}),
    ...(given.serial && meant(given.serial) ? { serial: given.serial } : {}),
    ...(given.model ? { model: given.model } : {}),
  };
}
