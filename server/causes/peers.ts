import type { Db } from "../store/database";
import { componentsAtPlaces, type ComponentRow } from "../store/estate";
import { spansOfOperation } from "../store/spans";

/** Spans that are read to learn whom an operation called. */
const MOST_READ = 300;

/** Whom an operation called lately, and how that went. */
export interface Peer {
  componentId: number;
  name: string;
  calls: number;
  bad: number;
}

interface Attributes {
  "server.address"?: unknown;
  "server.port"?: unknown;
  "peer.service"?: unknown;
}

const attributesOf = (detail: string | null): Attributes =>
  (detail === null ? {} : (JSON.parse(detail) as { attributes?: Attributes })).attributes ?? {};

/** Whom a call went to, by where its span says so; undefined where nothing is known there. */
export function calleeOf(db: Db, detail: string | null): ComponentRow | undefined {
  const attributes = attributesOf(detail);
  const address = attributes["server.address"];
  return componentsAtPlaces(
    db,
    address === undefined ? undefined : String(address),
    attributes["server.port"] === undefined ? undefined : Number(attributes["server.port"]),
    attributes["peer.service"] === undefined ? undefined : String(attributes["peer.service"]),
  )[0];
}

/**
 * Whom the calls of an operation went to, the most bad ones first: by where they say they went (`server.address`,
 * `server.port`, `peer.service`), matched with hosts and what runs there.
 * @param limitUs calls that took longer are bad too; Infinity where only failures are
 * @param most spans that are read; few tell whom it calls, many how that went
 */
export function peersOf(
  db: Db,
  operationId: number,
  fromMs: number,
  toMs: number,
  limitUs: number,
  most = MOST_READ,
): Peer[] {
  const places = new Map<string, { detail: string | null; calls: number; bad: number }>();
  for (const span of spansOfOperation(db, operationId, fromMs, toMs, 0, Number.MAX_SAFE_INTEGER, false, most)) {
    const attributes = attributesOf(span.detail);
    const key = `${String(attributes["server.address"])} ${String(attributes["server.port"])} ${String(attributes["peer.service"])}`;
    const place = places.get(key) ?? { detail: span.detail, calls: 0, bad: 0 };
    places.set(key, place);
    place.calls++;
    if (span.status === 2 || span.duration_us > limitUs) place.bad++;
  }
  const peers = new Map<number, Peer>();
  for (const { detail, calls, bad } of places.values()) {
    const one = calleeOf(db, detail);
    if (!one) continue;
    const peer = peers.get(one.id) ?? { componentId: one.id, name: one.name, calls: 0, bad: 0 };
    peers.set(one.id, peer);
    peer.calls += calls;
    peer.bad += bad;
  }
  return [...peers.values()].sort((a, b) => b.bad - a.bad || b.calls - a.calls);
}
