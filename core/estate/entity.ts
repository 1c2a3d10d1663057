import type { ResourceAttributes } from "./naming";
import { identityKey, type Observation } from "./observation";

/** What a sender's own description says there is, before it is looked up in the estate. */
export type Entity =
  | {
      what: "host";
      hostName: string;
      kind: string;
      address: string | null;
      site: string;
      facts: Record<string, string>;
      everySeconds: number;
    }
  | { what: "container"; id: string; hostName: string; label: string; facts: Record<string, string> };

/** Fact of a container: what runs in it. */
export const PROGRAM = "program";

/** telemetry.distro.name of our own host agent; only it vouches for a host by itself. */
const HOST_AGENT = "holotaxis-agent";
const DEFAULT_SECONDS = 15;

/** What only a runtime or a cluster tells; an id alone may be a detector's guess at a host that is no container. */
const RUNTIME_TELLS = [
  "container.name",
  "container.image.name",
  "container.runtime",
  "container.runtime.name",
  "k8s.pod.name",
];

/** Whether somebody who can know says that there is a container: our agent, or a runtime by what it alone knows. */
const isConfirmed = (attributes: ResourceAttributes): boolean =>
  attributes["telemetry.distro.name"] === HOST_AGENT || RUNTIME_TELLS.some((name) => attributes[name] !== undefined);

/**
 * Reads from a sender's attributes (OpenTelemetry semantic conventions for host, os and container) what it is evidence
 * of: a container that says which host it is on, or a host on which our agent runs. Anything else is evidence of
 * nothing.
 */
export function entityOf(attributes: ResourceAttributes): Entity | undefined {
  const hostName = attributes["host.name"]?.trim();
  if (!hostName) return undefined;
  const id = attributes["container.id"]?.toLowerCase();
  if (id !== undefined) {
    if (!/^[0-9a-f]{12,64}$/.test(id) || !isConfirmed(attributes)) return undefined;
    const label =
      attributes["container.name"] ??
      attributes["service.name"] ??
      attributes["process.executable.name"] ??
      "container";
    const facts: Record<string, string> = { "container id": id.slice(0, 12) };
    const image = [attributes["container.image.name"], attributes["container.image.tags"]].filter(Boolean).join(":");
    if (image) facts.image = image;
    const program = attributes["process.executable.name"];
    if (program) facts[PROGRAM] = program;
    return { what: "container", id, hostName, label, facts };
  }
  if (attributes["telemetry.distro.name"] !== HOST_AGENT) return undefined;
  const seconds = Number(attributes["report.seconds"]);
  const everySeconds = Number.isInteger(seconds) && seconds > 0 && seconds <= 3600 ? seconds : DEFAULT_SECONDS;
  const facts: Record<string, string> = {
    "host name": hostName,
    agent: `version ${attributes["telemetry.distro.version"] ?? "unknown"}, every ${everySeconds} s`,
  };
  if (attributes["os.description"]) facts.description = attributes["os.description"];
  if (Number(attributes["host.processors"]) > 0) facts.processors = attributes["host.processors"] as string;
  if (Number(attributes["host.memory.bytes"]) > 0) facts["memory bytes"] = attributes["host.memory.bytes"] as string;
  const address = (attributes["host.ip"] ?? "").split(/[,\s]+/).find((one) => /^\d+\.\d+\.\d+\.\d+$/.test(one)) ?? null;
  return {
    what: "host",
    hostName,
    kind: attributes["os.type"] === "linux" ? "host.linux" : "host.unknown",
    address,
    site: attributes.site?.slice(0, 60) || "no site",
    facts,
    everySeconds,
  };
}

/** A host that its agent tells of. */
export function observeHost(entity: Extract<Entity, { what: "host" }>): Observation {
  const { agent = "", ...facts } = entity.facts;
  return {
    keys: [
      identityKey("name", entity.hostName.toLowerCase()),
      ...(entity.address === null ? [] : [identityKey("addr", entity.address)]),
    ],
    kind: {
      is: entity.kind,
      reason: "reported by the agent on it",
      confidence: entity.kind === "host.unknown" ? 0.4 : 0.95,
    },
    name: shortName(entity.hostName),
    ...(entity.address === null ? {} : { address: entity.address }),
    depth: 1,
    readBy: "agent",
    facts,
    ownFacts: { agent },
  };
}

/** A container, on a host that is known. */
export function observeContainer(
  entity: Extract<Entity, { what: "container" }>,
  host: { id: number; name: string },
): Observation {
  return {
    keys: [identityKey("container", entity.id)],
    kind: { is: "app.container", reason: `reported as a container on ${host.name}`, confidence: 0.95 },
    name: `${entity.label} @ ${host.name}`,
    nameElse: `${entity.label}-${entity.id.slice(0, 6)} @ ${host.name}`,
    label: entity.label,
    container: entity.id,
    host: { id: host.id },
    depth: 1,
    readBy: "agent",
    facts: entity.facts,
  };
}

/** A host's name without its domain, in small letters. */
export const shortName = (name: string) => name.toLowerCase().split(".")[0] as string;
