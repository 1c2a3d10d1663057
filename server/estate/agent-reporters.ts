import { NO_SITE } from "#core/estate/identity";
import type { NamingBook, ResourceAttributes } from "#core/estate/naming";
import type { Look, Observation } from "#core/estate/observation";
import { observeContainer, observeHost, shortName, entityOf } from "#core/estate/entity";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { takeInFew, takeInSilence } from "./take-in";
import type { Db } from "../store/database";
import { componentById, currentComponents } from "../store/estate";
import { writeFact } from "../store/facts";
import { insertSource, listSources } from "../store/sources";
import { AGENT_KIND, agentSettings, USUAL_AGENT_SETTINGS, type AgentSettings } from "../sources/agent/driver";

/** Reports that may fail to come before a host counts as silent. */
const MISSED_REPORTS = 2.5;
const LABEL = "an agent";

interface Reporter {
  componentId: number;
  everyMs: number;
  heardMs: number;
  /** Known by its agent only: nothing else says whether it answers. */
  alone: boolean;
  notedMs: number;
}

/** What listening to agents established in one tick. */
export interface Listened {
  /** Components heard of since the look before. */
  heard: number[];
  /** Components that left the estate. */
  retired: number[];
  /** Hosts that only an agent reports, and whether it does now. */
  reachable: { componentId: number; reports: boolean }[];
}

/** Hosts with an agent and the containers on hosts: who reports, who is silent, what that makes known and what ends. */
export class AgentReporters {
  private readonly reporters = new Map<number, Reporter>();
  /** Containers with the host they are on and when something was last heard of them. */
  private readonly containers = new Map<number, { hostId: number; heardMs: number }>();
  private added = 0;
  private sourceId: number | null = null;
  private settings: AgentSettings = USUAL_AGENT_SETTINGS;

  constructor(private readonly db: Db) {}

  /** Takes up what a sender tells of; call inside a transaction. Returns what came into the estate by it. */
  meet(
    attributes: ResourceAttributes,
    book: NamingBook,
    nowMs: number,
  ): { componentId: number; containerId: string | null } | undefined {
    const entity = entityOf(attributes);
    if (!entity) return undefined;
    const named = book.known.name.get(entity.hostName.toLowerCase()) ?? book.known.name.get(shortName(entity.hostName));
    const known = named === undefined ? undefined : componentById(this.db, named);
    // One that left the estate is not there to be told of; its agent brings it back.
    const host = known?.valid_to === null ? known : undefined;
    if (entity.what === "host") {
      if (host) {
        writeFact(this.db, host.id, "agent", entity.facts.agent, nowMs);
        return undefined;
      }
      const id = this.take(observeHost(entity), entity.site, nowMs);
      return id === undefined ? undefined : { componentId: id, containerId: null };
    }
    if (!host) return undefined;
    const id = this.take(observeContainer(entity, host), host.site, nowMs);
    return id === undefined ? undefined : { componentId: id, containerId: entity.id };
  }

  /** @returns its id where it came into the estate now */
  private take(observation: Observation, site: string, nowMs: number): number | undefined {
    const look: Look = {
      observer: { sourceId: this.source(nowMs), label: LABEL, site, modest: true },
      atMs: nowMs,
      sinceMs: nowMs,
      observations: [observation],
      mostNew: Math.max(0, this.settings.mostComponents - this.added),
    };
    const applied = takeInFew(this.db, look);
    const news = applied.news.find((one) => one.outcome === "new" || one.outcome === "back");
    if (news?.outcome === "new") this.added++;
    return news?.id;
  }

  /** The source that agents belong to, and how many more components they may make known. */
  room(nowMs: number): { id: number; room: number } {
    return { id: this.source(nowMs), room: Math.max(0, this.settings.mostComponents - this.added) };
  }

  /** The source that agents belong to, made with the first report. */
  private source(nowMs: number): number {
    this.sourceId ??= insertSource(
      this.db,
      { kind: AGENT_KIND, name: freeName(this.db), site: NO_SITE, settings: USUAL_AGENT_SETTINGS },
      undefined,
      nowMs,
    );
    return this.sourceId;
  }

  /** Takes up what the estate and the settings are by now. */
  reload(): void {
    const source = listSources(this.db).find((one) => one.kind === AGENT_KIND);
    this.sourceId = source?.id ?? null;
    this.settings = source ? agentSettings.parse(source.settings) : USUAL_AGENT_SETTINGS;
    this.added = 0;
    const current = new Map(currentComponents(this.db).map((row) => [row.id, row]));
    for (const row of current.values()) if (row.read_by === AGENT_KIND) this.added++;
    for (const id of this.reporters.keys()) if (!current.has(id)) this.reporters.delete(id);
    for (const id of this.containers.keys()) if (!current.has(id)) this.containers.delete(id);
    for (const reporter of this.reporters.values())
      reporter.alone = current.get(reporter.componentId)?.read_by === AGENT_KIND;
  }

  /**
   * Something came from a sender that is named to a component.
   * @returns true when the sender tells of something that is not in the estate now, so that it is to be met again
   */
  heard(attributes: ResourceAttributes, componentId: number | null, nowMs: number): boolean {
    const entity = entityOf(attributes);
    if (!entity) return false;
    if (componentId === null) return true;
    if (entity.what === "host") {
      const known = this.reporters.get(componentId);
      if (known) known.heardMs = nowMs;
      else {
        const component = componentById(this.db, componentId);
        if (component?.valid_to !== null) return true;
        this.reporters.set(componentId, {
          componentId,
          everyMs: entity.everySeconds * 1000,
          heardMs: nowMs,
          alone: component.read_by === AGENT_KIND,
          notedMs: 0,
        });
      }
      return false;
    }
    const known = this.containers.get(componentId);
    if (known) known.heardMs = nowMs;
    else {
      const component = componentById(this.db, componentId);
      if (component?.container === null || component?.host_id === null || component?.valid_to !== null) return true;
      this.containers.set(componentId, { hostId: component.host_id, heardMs: nowMs });
    }
    return false;
  }

  /**
   * Notes who reports and who is silent, and retires what has ended; call inside a transaction, once a tick, and
   * `reload` after it when something was retired.
   */
  look(nowMs: number): Listened {
    const heard: number[] = [];
    const silent = new Set<number>();
    const reachable: Listened["reachable"] = [];
    const reports = (one: Reporter | undefined) =>
      one !== undefined && nowMs - one.heardMs <= MISSED_REPORTS * one.everyMs;
    for (const one of this.reporters.values()) {
      if (reports(one)) heard.push(one.componentId);
      if (!one.alone) continue;
      if (nowMs - one.heardMs > this.settings.hostLeavesAfterHours * HOUR_MS) silent.add(one.componentId);
      else if (nowMs - one.notedMs >= one.everyMs) {
        one.notedMs = nowMs;
        reachable.push({ componentId: one.componentId, reports: reports(one) });
      }
    }
    for (const [id, one] of this.containers) {
      if (nowMs - one.heardMs <= this.settings.containerEndsAfterMinutes * MINUTE_MS) heard.push(id);
      // A host whose agent reports lists its containers by that; one that is silent too says nothing of them.
      else if (reports(this.reporters.get(one.hostId))) silent.add(id);
    }
    const look: Look = {
      observer: { sourceId: this.sourceId, label: LABEL, site: NO_SITE },
      atMs: nowMs,
      sinceMs: nowMs,
      observations: [],
    };
    return { heard, retired: takeInSilence(this.db, look, silent), reachable };
  }
}

function freeName(db: Db): string {
  const taken = new Set(listSources(db).map((one) => one.name));
  for (let number = 1; ; number++) {
    const name = number === 1 ? "Host agents" : `Host agents ${number}`;
    if (!taken.has(name)) return name;
  }
}
