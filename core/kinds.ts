/** Layers of the map, top to bottom. */
export const STRATA = [
  { id: "people", label: "People and entry points" },
  { id: "services", label: "Services" },
  { id: "applications", label: "Applications" },
  { id: "data", label: "Data and messages" },
  { id: "hosts", label: "Hosts" },
  { id: "platforms", label: "Hypervisors and clouds" },
  { id: "network", label: "Network and storage" },
] as const;

export type Stratum = (typeof STRATA)[number]["id"];

export interface KindInfo {
  /** Dotted name; what stands before the dot is the family. */
  kind: string;
  label: string;
  stratum: Stratum;
}

/** Kinds that discovery can tell apart today. */
export const KINDS: readonly KindInfo[] = [
  { kind: "host.linux", label: "Linux host", stratum: "hosts" },
  { kind: "host.unknown", label: "Host, system not known", stratum: "hosts" },
  { kind: "host.hypervisor", label: "Hypervisor", stratum: "platforms" },
  { kind: "host.guest", label: "Virtual machine, not read itself", stratum: "hosts" },
  { kind: "net.switch", label: "Switch", stratum: "network" },
  { kind: "net.router", label: "Router", stratum: "network" },
  { kind: "app.web", label: "Web front", stratum: "people" },
  { kind: "app.process", label: "Application process", stratum: "applications" },
  { kind: "app.container", label: "Container", stratum: "applications" },
  { kind: "app.endpoint", label: "Listening port", stratum: "applications" },
  { kind: "db.relational", label: "Relational database", stratum: "data" },
  { kind: "db.cache", label: "Cache", stratum: "data" },
  { kind: "db.series", label: "Time series database", stratum: "data" },
  { kind: "queue.broker", label: "Message broker", stratum: "data" },
  { kind: "dir.ldap", label: "Directory", stratum: "data" },
];

const byKind = new Map(KINDS.map((info) => [info.kind, info]));

/** What is known of a kind; kinds of later versions fall back to their family. */
export function kindInfo(kind: string): KindInfo {
  return (
    byKind.get(kind) ?? {
      kind,
      label: kind,
      stratum: kind.startsWith("net.") ? "network" : kind.startsWith("host.") ? "hosts" : "applications",
    }
  );
}

export const isHostLike = (kind: string) => kind.startsWith("host.") || kind.startsWith("net.");

export type RelationType = "runs-on" | "hosted-by" | "talks-to" | "part-of" | "stored-on" | "wired-to";
