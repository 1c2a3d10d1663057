/** A binding of a notification: an object, and what it is. */
export interface Binding {
  oid: string;
  /** As text. */
  value: string;
}

/** A notification of SNMP, read: what it is called, in words, and how bad that is. */
export interface Notification {
  /** Object id of the notification (snmpTrapOID). */
  oid: string;
  /** "linkDown", or the object id where no MIB that is known names it. */
  name: string;
  /** "linkDown: ifIndex 3, ifDescr Gi0/3, ifOperStatus down". */
  text: string;
  /** OpenTelemetry severity number. */
  severity: number;
  attributes: [name: string, value: string][];
}

const [INFO, WARNING, ERROR] = [9, 13, 17];

/**
 * Notifications of the standard MIBs: SNMPv2-MIB (RFC 3418), IF-MIB (RFC 2863), BRIDGE-MIB (RFC 4188), ENTITY-MIB
 * (RFC 6933), UPS-MIB (RFC 1628), DISMAN-EVENT-MIB (RFC 2981), VM-MIB (RFC 7666), LLDP-MIB (IEEE 802.1AB).
 */
const KNOWN: Readonly<Record<string, readonly [name: string, severity: number]>> = {
  "1.3.6.1.6.3.1.1.5.1": ["coldStart", WARNING],
  "1.3.6.1.6.3.1.1.5.2": ["warmStart", INFO],
  "1.3.6.1.6.3.1.1.5.3": ["linkDown", WARNING],
  "1.3.6.1.6.3.1.1.5.4": ["linkUp", INFO],
  "1.3.6.1.6.3.1.1.5.5": ["authenticationFailure", WARNING],
  "1.3.6.1.6.3.1.1.5.6": ["egpNeighborLoss", WARNING],
  "1.3.6.1.2.1.17.0.1": ["newRoot", WARNING],
  "1.3.6.1.2.1.17.0.2": ["topologyChange", INFO],
  "1.3.6.1.2.1.47.2.0.1": ["entConfigChange", INFO],
  "1.3.6.1.2.1.33.2.1": ["upsTrapOnBattery", ERROR],
  "1.3.6.1.2.1.33.2.3": ["upsTrapAlarmEntryAdded", WARNING],
  "1.3.6.1.2.1.33.2.4": ["upsTrapAlarmEntryRemoved", INFO],
  "1.3.6.1.2.1.88.2.0.1": ["mteTriggerFired", WARNING],
  "1.3.6.1.2.1.88.2.0.2": ["mteTriggerRising", WARNING],
  "1.3.6.1.2.1.88.2.0.3": ["mteTriggerFalling", INFO],
  "1.3.6.1.2.1.236.0.1": ["vmRunning", INFO],
  "1.3.6.1.2.1.236.0.2": ["vmShuttingdown", INFO],
  "1.3.6.1.2.1.236.0.3": ["vmShutdown", INFO],
  "1.3.6.1.2.1.236.0.4": ["vmPaused", INFO],
  "1.3.6.1.2.1.236.0.8": ["vmMigrating", INFO],
  "1.3.6.1.2.1.236.0.9": ["vmCrashed", ERROR],
  "1.0.8802.1.1.2.0.0.1": ["lldpRemTablesChange", INFO],
  "1.3.6.1.4.1.8072.4.0.2": ["nsNotifyShutdown", WARNING],
  "1.3.6.1.4.1.8072.4.0.3": ["nsNotifyRestart", INFO],
};

const STATUS: Readonly<Record<string, string>> = {
  1: "up",
  2: "down",
  3: "testing",
  4: "unknown",
  5: "dormant",
  6: "notPresent",
  7: "lowerLayerDown",
};

/** Columns and scalars that notifications bind, with how their numbers read. */
const OBJECTS: readonly (readonly [prefix: string, name: string, words?: Readonly<Record<string, string>>])[] = [
  ["1.3.6.1.2.1.1.1", "sysDescr"],
  ["1.3.6.1.2.1.1.5", "sysName"],
  ["1.3.6.1.2.1.1.6", "sysLocation"],
  ["1.3.6.1.2.1.2.2.1.1", "ifIndex"],
  ["1.3.6.1.2.1.2.2.1.2", "ifDescr"],
  ["1.3.6.1.2.1.2.2.1.3", "ifType"],
  ["1.3.6.1.2.1.2.2.1.7", "ifAdminStatus", STATUS],
  ["1.3.6.1.2.1.2.2.1.8", "ifOperStatus", STATUS],
  ["1.3.6.1.2.1.31.1.1.1.1", "ifName"],
  ["1.3.6.1.2.1.31.1.1.1.18", "ifAlias"],
  ["1.3.6.1.2.1.33.1.2.3", "upsEstimatedMinutesRemaining"],
  ["1.3.6.1.2.1.33.1.2.2", "upsSecondsOnBattery"],
  ["1.3.6.1.2.1.88.2.1.1", "mteHotTrigger"],
  ["1.3.6.1.2.1.88.2.1.5", "mteHotValue"],
  ["1.3.6.1.2.1.236.1.4.1.2", "vmName"],
  ["1.3.6.1.2.1.236.1.4.1.3", "vmUUID"],
  ["1.3.6.1.2.1.236.1.4.1.6", "vmOperState"],
  ["1.3.6.1.6.3.18.1.3", "snmpTrapAddress"],
];

const SYS_UP_TIME = "1.3.6.1.2.1.1.3.0";
const TRAP_OID = "1.3.6.1.6.3.1.1.4.1.0";
/** snmpTrapEnterprise and the community, which are the way of the message and not what it says. */
const LEFT_OUT = new Set([SYS_UP_TIME, TRAP_OID, "1.3.6.1.6.3.1.1.4.3.0", "1.3.6.1.6.3.18.1.4.0"]);
const MOST_IN_TEXT = 8;

function named({ oid, value }: Binding): [string, string] {
  const known = OBJECTS.find(([prefix]) => oid === prefix || oid.startsWith(`${prefix}.`));
  return known ? [known[1], known[2]?.[value] ?? value] : [oid, value];
}

/**
 * Reads a notification of SNMPv2 (RFC 3416 §4.2.6): its first two bindings are the time since the agent started and what
 * it is.
 * @returns undefined where it does not say what it is
 */
export function readNotification(bindings: readonly Binding[]): Notification | undefined {
  const oid = bindings.find((one) => one.oid === TRAP_OID)?.value.replace(/^\./, "");
  if (!oid) return undefined;
  const [name, severity] = KNOWN[oid] ?? [oid, INFO];
  const attributes = bindings.filter((one) => !LEFT_OUT.has(one.oid)).map(named);
  const shown = attributes.slice(0, MOST_IN_TEXT).map(([what, value]) => `${what} ${value}`);
  const rest = attributes.length > MOST_IN_TEXT ? [`${attributes.length - MOST_IN_TEXT} more`] : [];
  const text = [...shown, ...rest].join(", ");
  return { oid, name, severity, attributes, text: text ? `${name}: ${text}` : name };
}

/** Enterprise-specific traps of SNMPv1 have no number among the generic ones. */
const SPECIFIC = 6;

/**
 * The bindings a trap of SNMPv1 has as a notification (RFC 3584 §3.1).
 * @param trap.generic 0 to 5, or 6 for what is specific to the enterprise
 */
export function asNotification(
  trap: { enterprise: string; generic: number; specific: number; agentAddress: string },
  bindings: readonly Binding[],
): Binding[] {
  const oid =
    trap.generic === SPECIFIC
      ? `${trap.enterprise.replace(/^\./, "")}.0.${trap.specific}`
      : `1.3.6.1.6.3.1.1.5.${trap.generic + 1}`;
  return [
    { oid: TRAP_OID, value: oid },
    ...bindings,
    ...(trap.agentAddress && trap.agentAddress !== "0.0.0.0"
      ? [{ oid: "1.3.6.1.6.3.18.1.3.0", value: trap.agentAddress }]
      : []),
  ];
}
