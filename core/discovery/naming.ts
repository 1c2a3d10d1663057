import { fitsPattern } from "./pattern";

/** What a sender says of itself: its resource attributes, as text. */
export type OriginAttributes = Readonly<Record<string, string>>;

/** A rule made by a person: an attribute whose value fits a pattern means a component. */
export interface NamingRule {
  attribute: string;
  pattern: string;
  componentId: number;
}

/** Components by what senders may call them. */
export interface NamingBook {
  rules: readonly NamingRule[];
  /** By name in small letters; a process is "name @ host". */
  byName: ReadonlyMap<string, number>;
  byAddress: ReadonlyMap<string, number>;
  /** By container id. */
  byContainer: ReadonlyMap<string, number>;
}

export interface Named {
  componentId: number | null;
  /** The rule that matched, or why none did. */
  why: string;
}

const short = (host: string) => host.toLowerCase().split(".")[0] as string;

/**
 * Names a sender to a component by its attributes (OpenTelemetry semantic conventions), most exact first: a person's rule; a
 * container by its id; a process on a named host or address; a container, instance or service that is a component itself by
 * its name; the host; its address.
 */
export function nameOrigin(attributes: OriginAttributes, book: NamingBook): Named {
  for (const rule of book.rules) {
    const value = attributes[rule.attribute];
    if (value !== undefined && fitsPattern(rule.pattern, value)) return { componentId: rule.componentId, why: `your rule: ${rule.attribute} fits “${rule.pattern}”` };
  }
  const container = attributes["container.id"];
  const contained = container === undefined ? undefined : book.byContainer.get(container.toLowerCase());
  if (contained !== undefined) return { componentId: contained, why: `container.id ${(container as string).slice(0, 12)}` };
  const hostName = attributes["host.name"];
  const addresses = ["host.ip", "server.address", "client.address", "source.address"].flatMap((name) => (attributes[name] ?? "").split(/[,\s[\]"]+/).filter(Boolean));
  const hosts = hostName ? [hostName.toLowerCase(), short(hostName)] : [];
  for (const name of ["process.executable.name", "service.name", "app.name"]) {
    const process = attributes[name]?.toLowerCase();
    if (!process) continue;
    for (const host of hosts) {
      const found = book.byName.get(`${process} @ ${host}`);
      if (found !== undefined) return { componentId: found, why: `${name} ${process} on host.name ${host}` };
    }
  }
  for (const name of ["container.name", "container.id", "service.instance.id", "service.name"]) {
    const value = attributes[name];
    const found = value === undefined ? undefined : book.byName.get(value.toLowerCase());
    if (found !== undefined) return { componentId: found, why: `${name} ${value} is a component's name` };
  }
  for (const host of hosts) {
    const found = book.byName.get(host);
    if (found !== undefined) return { componentId: found, why: `host.name ${hostName}` };
  }
  for (const address of addresses) {
    const found = book.byAddress.get(address);
    if (found !== undefined) return { componentId: found, why: `address ${address}` };
  }
  const said = ["host.name", "service.name", "service.instance.id", "source.address"].flatMap((name) => (attributes[name] ? [`${name} ${attributes[name]}`] : []));
  return { componentId: null, why: said.length ? `no component is known as ${said.join(" or ")}` : "it says neither host.name nor service.name" };
}
