import { eachAddress, type AddressSpan } from "#core/discovery/ranges";
import type { AddressSighting, OpenPort, SightingFailure, SystemSighting } from "#core/discovery/sighting";
import { eachLimited, Gate } from "./limit";
import { readSystem } from "./snmp";
import { probePort } from "./tcp";

export interface SweepTask {
  spans: AddressSpan[];
  ports: number[];
  snmpPort: number;
  community: string;
}

export interface SweepCounts {
  tried: number;
  answering: number;
  recognised: number;
  failed: number;
}

/** Addresses waited for side by side: most are silent, and waiting for SNMP costs one socket each. */
const ADDRESSES_AT_ONCE = 240;
/** Addresses whose TCP ports are tried side by side. With 12 ports each this stays well under the usual limit of open files. */
const TCP_AT_ONCE = 48;

/**
 * Looks at every address by TCP, banner, HTTP and SNMP at once. Sightings of addresses that answered in any way are handed
 * over as they come; counts are kept in `counts`. Aborting ends it after the addresses under way.
 */
export async function sweepAddresses(
  task: SweepTask,
  counts: SweepCounts,
  onSighting: (sighting: AddressSighting) => void,
  now: () => number,
  signal: AbortSignal,
): Promise<void> {
  const tcp = new Gate(TCP_AT_ONCE);
  await eachLimited(
    eachAddress(task.spans),
    ADDRESSES_AT_ONCE,
    async (address) => {
      const sighting = await lookAt(address, task, tcp, now);
      counts.tried++;
      if (!sighting) return;
      counts.answering++;
      if (sighting.system) counts.recognised++;
      if (sighting.failures.length) counts.failed++;
      onSighting(sighting);
    },
    signal,
  );
}

async function lookAt(
  address: string,
  task: SweepTask,
  tcp: Gate,
  now: () => number,
): Promise<AddressSighting | undefined> {
  const failures: SightingFailure[] = [];
  let system: SystemSighting | undefined;
  const asking = readSystem({ address, port: task.snmpPort, community: task.community }, 700, 1).then(
    (found) => {
      system = found;
    },
    (error: Error) => {
      failures.push({ what: "snmp", reason: error.message });
    },
  );
  const probed = await tcp.through(() => Promise.all(task.ports.map((port) => probePort(address, port))));
  await asking;
  if (!system && probed.some(Boolean))
    // Something is there; it may only have been slow.
    system = await readSystem({ address, port: task.snmpPort, community: task.community }, 1500, 0).catch(
      () => undefined,
    );
  const open = probed.filter((port): port is OpenPort => port !== undefined);
  if (!system && open.length === 0) return undefined;
  const told = system
    ? []
    : failures.map(() => ({
        what: "snmp" as const,
        reason: `Answers on TCP ${open.map((port) => port.port).join(", ")}, but not to SNMP on UDP ${task.snmpPort} with this community. Check the community, and whether an agent runs there and lets this machine in.`,
      }));
  return { address, atMs: now(), open, ...(system ? { system } : {}), failures: told };
}
