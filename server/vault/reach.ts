import { inSpans } from "#core/estate/ranges";
import { driverOf } from "../sources/registry";
import type { CredentialRow } from "../store/credentials";
import { credentialById, credentialsOfSource } from "../store/credentials";
import type { Db } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import { factsAt } from "../store/facts";
import { hostKeyOf, type HostKey } from "../store/host-keys";
import { sourceById } from "../store/sources";
import { kindOfCredential } from "./kinds";
import { mayBeUsedAt } from "./vault";

const USUAL_PORT = 22;

/** How commands get to a component: where, with what, and what vouches for it. */
export interface Reach {
  address: string;
  port: number;
  /** In the order in which they are tried. */
  credentials: CredentialRow[];
  key: HostKey | undefined;
  /** Why this is a place that commands may go to. */
  why: string;
}

/** Where a component would be signed in to, whether or not that is allowed. */
export function placeOf(db: Db, component: ComponentRow, nowMs: number): { address: string; port: number } | undefined {
  const host = component.host_id === null ? component : componentById(db, component.host_id);
  const address = component.address ?? host?.address;
  if (!host || !address) return undefined;
  const facts = [...factsAt(db, component.id, nowMs), ...factsAt(db, host.id, nowMs)];
  return { address, port: Number(facts.find((fact) => fact.name === "ssh port")?.value ?? USUAL_PORT) };
}

/** Credentials for SSH that may be used at an address. */
const forSsh = (credentials: readonly CredentialRow[], address: string) =>
  credentials.filter((one) => kindOfCredential(one.kind)?.serves === "ssh" && mayBeUsedAt(one, address));

/**
 * How commands get to a component, or why they must not, as a sentence. What senders say of themselves leads nowhere: it
 * takes a source that found the host itself and has a credential for its address, or a person who approved the host and its
 * key.
 */
export function reachOf(db: Db, component: ComponentRow, nowMs: number): Reach | { problem: string } {
  const place = placeOf(db, component, nowMs);
  if (!place) return { problem: `${component.name} has no address to connect to.` };
  const { address, port } = place;
  const host = component.host_id === null ? component : componentById(db, component.host_id);
  const key = hostKeyOf(db, address, port);
  const approved =
    key?.approvedBy != null && key.credentialId !== null ? credentialById(db, key.credentialId) : undefined;
  if (key && approved && mayBeUsedAt(approved, address))
    return { ...place, credentials: [approved], key, why: `approved by ${key.approvedBy}` };
  const source = host?.source_id == null ? undefined : sourceById(db, host.source_id);
  const driver = source && driverOf(source.kind);
  const isFound =
    source !== undefined &&
    driver?.discover !== undefined &&
    (driver.listings?.(source.settings) ?? []).some(
      (list) => list.what === "addresses" && inSpans(address, list.spans),
    );
  if (!isFound)
    return {
      problem: `${component.name} was not found by a source of ours, only reported by senders. An operator approves the host and its key first, on its page under “Access”.`,
    };
  const credentials = forSsh(credentialsOfSource(db, source.id), address);
  if (!credentials.length)
    return {
      problem: `Source ${source.name} has no SSH credential for ${address}. Add one under Setup › Credentials, and to the source.`,
    };
  return { ...place, credentials, key, why: `found by source ${source.name}` };
}
