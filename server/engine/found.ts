import type { NamingBook, OriginAttributes } from "#core/discovery/naming";
import { toldBy } from "#core/discovery/told";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import {
  addKeys,
  componentById,
  componentOfKey,
  currentComponents,
  insertComponent,
  markSeen,
  retireComponent,
  seeRelation,
  writeFact,
} from "../store/estate";
import type { Recorder } from "./recorder";

/** Components that senders may make known; further ones are not taken, so that nobody fills the estate by telling stories. */
const MOST_FOUND = 5000;
/** Reports that may fail to come before a host counts as silent. */
const MISSED_REPORTS = 2.5;
/** A container of which its host's agent says nothing for so long has ended. */
const CONTAINER_ENDS_MS = 5 * MINUTE_MS;
/** A host that only its agent told of, silent for so long, has left the estate. */
const HOST_LEAVES_MS = DAY_MS;
const BY = "an agent";

interface Reporter {
  componentId: number;
  everyMs: number;
  heardMs: number;
  /** Told of by its agent only: nothing else says whether it answers. */
  alone: boolean;
  notedMs: number;
}

/** Components that senders tell of, rather than sweeps: hosts with an agent, and the containers on hosts. */
export class Found {
  private readonly reporters = new Map<number, Reporter>();
  /** Containers with the host they are on and when something was last heard of them. */
  private readonly containers = new Map<number, { hostId: number; heardMs: number }>();
  private made = 0;

  constructor(
    private readonly db: Db,
    private readonly recorder: Recorder,
  ) {}

  /** Takes up what a sender tells of; call inside a transaction. Returns what came into the estate by it. */
  meet(
    attributes: OriginAttributes,
    book: NamingBook,
    nowMs: number,
  ): { componentId: number; containerId: string | null } | undefined {
    const told = toldBy(attributes);
    if (!told) return undefined;
    const named = book.known.name.get(told.hostName.toLowerCase()) ?? book.known.name.get(shortName(told.hostName));
    // One that left the estate is not there to be told of; its agent brings it back.
    const hostId = named !== undefined && componentById(this.db, named)?.valid_to === null ? named : undefined;
    if (told.what === "host") {
      if (hostId !== undefined) {
        writeFact(this.db, hostId, "agent", told.facts.agent, nowMs);
        return undefined;
      }
      const keys = [
        `name:${told.hostName.toLowerCase()}`,
        ...(told.address !== null && componentOfKey(this.db, `addr:${told.address}`) === undefined
          ? [`addr:${told.address}`]
          : []),
      ];
      const componentId = this.add(
        {
          kind: told.kind,
          name: shortName(told.hostName),
          site: told.site,
          hostId: null,
          address: told.address,
          reason: "an agent on it reports",
          keys,
          facts: told.facts,
        },
        nowMs,
      );
      return componentId === undefined ? undefined : { componentId, containerId: null };
    }
    if (hostId === undefined) return undefined;
    const key = `container:${told.id}`;
    if (componentOfKey(this.db, key)?.retired === false) return undefined;
    const host = componentById(this.db, hostId);
    const plain = `${told.label} @ ${host?.name}`;
    const name = this.nameTaken(plain) ? `${told.label}-${told.id.slice(0, 6)} @ ${host?.name}` : plain;
    const id = this.add(
      {
        kind: "app.container",
        name,
        site: host?.site ?? "",
        hostId,
        address: null,
        reason: `told of as a container on ${host?.name}`,
        keys: [key],
        facts: told.facts,
      },
      nowMs,
    );
    if (id === undefined) return undefined;
    seeRelation(this.db, { type: "runs-on", fromId: id, toId: hostId, detail: "", connections: 0, seenBy: "" }, nowMs);
    return { componentId: id, containerId: told.id };
  }

  private readonly names = new Set<string>();
  private nameTaken(name: string): boolean {
    return this.names.has(name.toLowerCase());
  }

  private add(
    component: {
      kind: string;
      name: string;
      site: string;
      hostId: number | null;
      address: string | null;
      reason: string;
      keys: string[];
      facts: Record<string, string>;
    },
    nowMs: number,
  ): number | undefined {
    const before = component.keys.map((key) => componentOfKey(this.db, key)).find((one) => one !== undefined);
    if (before) {
      this.names.add(component.name.toLowerCase());
      addKeys(this.db, before.id, component.keys);
      markSeen(this.db, before.id, nowMs, component.kind, component.name, component.address);
      for (const [name, value] of Object.entries(component.facts)) writeFact(this.db, before.id, name, value, nowMs);
      insertChange(this.db, {
        atMs: nowMs,
        kind: "component",
        componentId: before.id,
        summary: `${component.name} is back`,
        by: BY,
      });
      return before.id;
    }
    if (this.made >= MOST_FOUND) return undefined;
    this.made++;
    this.names.add(component.name.toLowerCase());
    const id = insertComponent(this.db, { ...component, sourceId: null }, nowMs);
    insertChange(this.db, {
      atMs: nowMs,
      kind: "component",
      componentId: id,
      summary: `${component.name} was found for the first time`,
      by: BY,
    });
    return id;
  }

  /** Takes up what the estate is by now. */
  reload(): void {
    this.names.clear();
    this.made = 0;
    const current = new Map(currentComponents(this.db).map((row) => [row.id, row]));
    for (const row of current.values()) {
      if (row.source_id === null) this.made++;
      this.names.add(row.name.toLowerCase());
    }
    for (const id of this.reporters.keys()) if (!current.has(id)) this.reporters.delete(id);
    for (const id of this.containers.keys()) if (!current.has(id)) this.containers.delete(id);
    for (const reporter of this.reporters.values())
      reporter.alone = current.get(reporter.componentId)?.source_id === null;
  }

  /**
   * Something came from a sender that is named to a component.
   * @returns true when the sender tells of something that is not in the estate now, so that it is to be met again
   */
  heard(attributes: OriginAttributes, componentId: number | null, nowMs: number): boolean {
    const told = toldBy(attributes);
    if (!told) return false;
    if (componentId === null) return true;
    if (told.what === "host") {
      const known = this.reporters.get(componentId);
      if (known) known.heardMs = nowMs;
      else {
        const component = componentById(this.db, componentId);
        if (component?.valid_to !== null) return true;
        this.reporters.set(componentId, {
          componentId,
          everyMs: told.everySeconds * 1000,
          heardMs: nowMs,
          alone: component.source_id === null,
          notedMs: 0,
        });
      }
      return false;
    }
    const known = this.containers.get(componentId);
    if (known) known.heardMs = nowMs;
    else {
      const component = componentById(this.db, componentId);
      if (component?.kind !== "app.container" || component.host_id === null || component.valid_to !== null) return true;
      this.containers.set(componentId, { hostId: component.host_id, heardMs: nowMs });
    }
    return false;
  }

  /**
   * Notes which hosts report and which are silent, and retires what has ended; call inside a transaction, once a tick, and
   * `reload` after it when something was retired.
   * @returns components heard of since the look before, and those retired
   */
  look(nowMs: number): { heard: number[]; retired: number[] } {
    const heard: number[] = [];
    const retired: number[] = [];
    const reports = (one: Reporter | undefined) =>
      one !== undefined && nowMs - one.heardMs <= MISSED_REPORTS * one.everyMs;
    for (const one of this.reporters.values()) {
      if (reports(one)) heard.push(one.componentId);
      if (!one.alone) continue;
      if (nowMs - one.heardMs > HOST_LEAVES_MS) retired.push(one.componentId);
      else if (nowMs - one.notedMs >= one.everyMs) {
        one.notedMs = nowMs;
        this.recorder.record(
          this.recorder.series({ componentId: one.componentId, serviceId: null }, "reachable", "", "0/1", nowMs),
          nowMs,
          reports(one) ? 1 : 0,
        );
      }
    }
    for (const [id, one] of this.containers) {
      const host = this.reporters.get(one.hostId);
      if (nowMs - one.heardMs <= CONTAINER_ENDS_MS) heard.push(id);
      else if (reports(host)) retired.push(id);
    }
    const withParts = new Set(retired);
    for (const [container, { hostId }] of this.containers) if (withParts.has(hostId)) withParts.add(container);
    for (const id of withParts) {
      retireComponent(this.db, id, nowMs);
      insertChange(this.db, {
        atMs: nowMs,
        kind: "component",
        componentId: id,
        summary: `${componentById(this.db, id)?.name} is gone`,
        by: BY,
      });
    }
    return { heard, retired: [...withParts] };
  }
}

const shortName = (name: string) => name.toLowerCase().split(".")[0] as string;
