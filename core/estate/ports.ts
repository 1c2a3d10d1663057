/**
 * Service names of TCP ports as IANA assigns them (Service Name and Transport Protocol Port Number Registry),
 * for the ports a sweep commonly meets. Checked against Debian's netbase in tests/reference.
 */
const IANA_TCP: Readonly<Record<number, string>> = {
  21: "ftp",
  22: "ssh",
  23: "telnet",
  25: "smtp",
  53: "domain",
  80: "http",
  88: "kerberos",
  110: "pop3",
  111: "sunrpc",
  143: "imap2",
  179: "bgp",
  389: "ldap",
  443: "https",
  445: "microsoft-ds",
  514: "shell",
  587: "submission",
  631: "ipp",
  636: "ldaps",
  853: "domain-s",
  873: "rsync",
  989: "ftps-data",
  990: "ftps",
  993: "imaps",
  995: "pop3s",
  2049: "nfs",
  3306: "mysql",
  5060: "sip",
  5061: "sip-tls",
  5222: "xmpp-client",
  5432: "postgresql",
  5671: "amqps",
  5672: "amqp",
  6514: "syslog-tls",
  8080: "http-alt",
};

/** Ports that are assigned but missing from common services files; the registry's names, from memory. */
const IANA_TCP_FROM_MEMORY: Readonly<Record<number, string>> = {
  1883: "mqtt",
  8008: "http-alt",
  8883: "secure-mqtt",
  11211: "memcache",
};

/** Which kind of component a listener on an assigned service name is. */
const KIND_OF_SERVICE: Readonly<Record<string, string>> = {
  postgresql: "db.relational",
  mysql: "db.relational",
  amqp: "queue.broker",
  amqps: "queue.broker",
  mqtt: "queue.broker",
  "secure-mqtt": "queue.broker",
  memcache: "db.cache",
  ldap: "dir.ldap",
  ldaps: "dir.ldap",
};

/** The assigned service name of a TCP port, or undefined. */
export function portName(port: number): string | undefined {
  return IANA_TCP[port] ?? IANA_TCP_FROM_MEMORY[port];
}

/** The kind that an assigned port suggests, or undefined. */
export function kindOfPort(port: number): string | undefined {
  const name = portName(port);
  return name === undefined ? undefined : KIND_OF_SERVICE[name];
}

export const checkedPortNames = IANA_TCP;
