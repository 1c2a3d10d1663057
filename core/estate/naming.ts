import { fitsPattern } from "./pattern";

/** What a sender says of itself: its resource attributes, as text. */
export type ResourceAttributes = Readonly<Record<string, string>>;

/** A rule made by a person: an attribute whose value fits a pattern means a component. */
export interface NamingRule {
  attribute: string;
  pattern: string;
  componentId: number;
}

/**
 * What a component can be known by: its container id, its name in small letters (a process is "name @ host"), its
 * address.
 */
export type KnownBy = "container" | "name" | "address";

/** Components by what senders may call them. */
export interface NamingBook {
  rules: readonly NamingRule[];
  known: Readonly<Record<KnownBy, ReadonlyMap<string, number>>>;
}

export interface Named {
  componentId: number | null;
  /** The rule that matched, or why none did. */
  why: string;
}

const short = (host: string) => host.toLowerCase().split(".")[0] as string;

/** One thing a sender says that may be what a component is known by. */
export interface Hint {
  by: KnownBy;
  value: string;
  /** The reason that is shown when it matches. */
  why: string;
}

/**
 * What a sender says of itself that may name a component (OpenTelemetry semantic conventions), most exact first: a
 * container by its id; a process on a named host; a container, instance or service that is a component itself by its
 * name; the host; its address.
 */
export function hintsOf(attributes: ResourceAttributes): Hint[] {
  const hints: Hint[] = [];
  const container = attributes["container.id"];
  if (container !== undefined)
    hints.push({ by: "container", value: container.toLowerCase(), why: `container.id ${container.slice(0, 12)}` });
  const hostName = attributes["host.name"];
  const hosts = hostName ? [...new Set([hostName.toLowerCase(), short(hostName)])] : [];
  for (const name of ["process.executable.name", "service.name", "app.name"]) {
    const process = attributes[name]?.toLowerCase();
    if (process)
      for (const host of hosts)
        hints.push({ by: "name", value: `${process} @ ${host}`, why: `${name} ${process} on host.name ${host}` });
  }
  for (const name of ["container.name", "container.id", "service.instance.id", "service.name"]) {
    const value = attributes[name];
    if (value !== undefined)
      hints.push({ by: "name", value: value.toLowerCase(), why: `${name} ${value} is a component's name` });
  }
  for (const host of hosts) hints.push({ by: "name", value: host, why: `host.name ${hostName}` });
  for (const name of ["host.ip", "server.address", "client.address", "source.address"])
    for (const address of (attributes[name] ?? "").split(/[,\s[\]"]+/).filter(Boolean))
      hints.push({ by: "address", value: address, why: `address ${address}` });
  return hints;
}

/** Names a sender to a component: by a person's rule, else by the first of its hints that a component is known by. */
export function nameResource(attributes: ResourceAttributes, book: NamingBook): Named {
  for (const rule of book.rules) {
    const value = attributes[rule.attribute];
    if (value !== undefined && fitsPattern(rule.pattern, value))
      return { componentId: rule.componentId, why: `matching rule: ${rule.attribute} fits “${rule.pattern}”` };
  }
  for (const { by, value, why } of hintsOf(attributes)) {
    const componentId = book.known[by].get(value);
    if (componentId !== undefined) return { componentId, why };
  }
  const said = ["host.name", "service.name", "service.instance.id", "source.address"].flatMap((name) =>
    attributes[name] ? [`${name} ${attributes[name]}`] : [],
  );
  return {
    componentId: null,
    why: said.length ? `no component is known as ${said.join(" or ")}` : "it has neither host.name nor service.name",
  };
}
