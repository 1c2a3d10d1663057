import { agentDriver } from "./agent/driver";
import { clusterDriver } from "./cluster/driver";
import { dnsDriver } from "./dns/driver";
import type { SourceDriver } from "./driver";
import { listDriver } from "./list/driver";
import { platformDriver } from "./platform/driver";
import { privateCloudDriver } from "./private-cloud/driver";
import { rangeDriver } from "./range/driver";
import { redfishDriver } from "./redfish/driver";
import { sshDriver } from "./ssh/driver";
import { ticketsDriver } from "./tickets/driver";
import { virtualDriver } from "./virtual/driver";

/** Every kind of source. A new one is a folder with a driver, and a line here. */
const DRIVERS: readonly SourceDriver[] = [
  rangeDriver as SourceDriver,
  sshDriver as SourceDriver,
  listDriver as SourceDriver,
  dnsDriver as SourceDriver,
  platformDriver as SourceDriver,
  privateCloudDriver as SourceDriver,
  clusterDriver as SourceDriver,
  redfishDriver as SourceDriver,
  virtualDriver as SourceDriver,
  ticketsDriver as SourceDriver,
  agentDriver as SourceDriver,
];

const byKind = new Map(DRIVERS.map((driver) => [driver.kind, driver]));

export const sourceDrivers = (): readonly SourceDriver[] => DRIVERS;

/** The driver of a kind; throws where the store holds a kind of a later version. */
export function driverOf(kind: string): SourceDriver {
  const driver = byKind.get(kind);
  if (!driver) throw new Error(`No driver reads sources of kind ${kind}.`);
  return driver;
}
