import type { FingerprintBook } from "#core/estate/fingerprints";
import type { AddressSpan } from "#core/estate/ranges";
import type { AddressSighting, OpenPort, SystemSighting } from "#core/estate/sighting";
import type { Limiter } from "../../outside/limit";
import { readSystem } from "./snmp";
import type { SnmpAccess } from "./snmp-access";
import { probePort } from "./tcp";

export interface RangeTask {
  spans: AddressSpan[];
  names: readonly string[];
  ports: number[];
  snmpPort: number;
  /** Addresses a second at most; 0 or nothing for as fast as they answer. */
  perSecond?: number;
  /** Ways to ask an address by SNMP. */
  accessAt: (address: string) => readonly SnmpAccess[];
  book: FingerprintBook;
}

/** One look at one address by all ways at once; undefined where nothing answers. The signal lets go of what is open. */
export async function lookAt(
  address: string,
  task: RangeTask,
  tcp: Limiter,
  signal: AbortSignal,
): Promise<AddressSighting | undefined> {
  const target = { address, port: task.snmpPort, access: task.accessAt(address), signal };
  const reading = readSystem(target, 700, 1).catch(() => undefined);
  const { questions } = task.book;
  const probed = await tcp.through(() =>
    Promise.all(task.ports.map((port) => probePort(address, port, questions, signal))),
  );
  let system: SystemSighting | undefined = await reading;
  if (!system && probed.some(Boolean))
    // Something is there; it may only have been slow.
    system = await readSystem(target, 1500, 0).catch(() => undefined);
  const open = probed.filter((port): port is OpenPort => port !== undefined);
  if (!system && open.length === 0) return undefined;
  const reason = `Answers on TCP ${open.map((port) => port.port).join(", ")}, but not to SNMP on UDP ${task.snmpPort} with what this source may use. Check its credentials, and whether an agent runs there and lets this machine in.`;
  return { address, open, ...(system ? { system } : {}), failures: system ? [] : [{ what: "snmp", reason }] };
}
