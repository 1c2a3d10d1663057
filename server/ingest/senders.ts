import { hintsOf, nameResource, type KnownBy, type NamingBook, type ResourceAttributes } from "#core/estate/naming";
import type { Db } from "../store/database";
import { componentsOfKeys, everKnown, type ComponentRow } from "../store/estate";
import {
  allResources,
  forgetResources,
  hostsBeside,
  insertResource,
  matchingRules,
  resourceText,
  renameResource,
} from "../store/resources";
import { HOUR_MS } from "#core/time/windows";
import { LIMITS } from "../receivers/limits";
import type { SampleWriter } from "./sample-writer";

export interface KnownResource {
  id: number;
  attributes: ResourceAttributes;
  componentId: number | null;
  touchedMs: number;
}

const CONTAINER_KEY = "container:";
/** What senders say of themselves is told in so many characters. */
const LONGEST_NAME = 120;
const programOf = ({ "service.name": name, "service.namespace": space = "" }: ResourceAttributes) =>
  name ? `${space}/${name}` : undefined;
const hintKey = (by: KnownBy, value: string) => `${by} ${value}`;

/** Everybody who ever sent something, by what they say of themselves, and the components they are named to. */
export class Senders {
  private readonly byText = new Map<string, KnownResource>();
  private readonly byId = new Map<number, KnownResource>();
  /** Senders by each thing they say that may name a component. */
  private readonly byHint = new Map<string, KnownResource[]>();
  /** A component by what it runs, as senders say; worked out when it is asked for. */
  private byProgram: Map<string, number> | undefined;
  private beside: ReadonlyMap<number, number> | undefined;
  private known: Record<KnownBy, Map<string, number>> = { container: new Map(), name: new Map(), address: new Map() };
  private rules: NamingBook["rules"] = [];

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
    private readonly most: number = LIMITS.senders,
  ) {
    this.read();
  }

  /** Takes everybody from the store anew. */
  read(): void {
    this.forgetPrograms();
    this.byText.clear();
    this.byId.clear();
    this.byHint.clear();
    for (const row of allResources(this.db))
      this.keep(row.attributes, {
        id: row.id,
        attributes: JSON.parse(row.attributes) as ResourceAttributes,
        componentId: row.component_id,
        touchedMs: row.last_at,
      });
  }

  private forgetPrograms(): void {
    this.byProgram = undefined;
    this.beside = undefined;
  }

  private keep(text: string, resource: KnownResource): KnownResource {
    this.forgetPrograms();
    this.byText.set(text, resource);
    this.byId.set(resource.id, resource);
    for (const key of new Set(hintsOf(resource.attributes).map(({ by, value }) => hintKey(by, value)))) {
      const others = this.byHint.get(key);
      if (others) others.push(resource);
      else this.byHint.set(key, [resource]);
    }
    return resource;
  }

  get book(): NamingBook {
    return { rules: this.rules, known: this.known };
  }

  all(): Iterable<KnownResource> {
    return this.byId.values();
  }

  get(id: number): KnownResource | undefined {
    return this.byId.get(id);
  }

  /**
   * Of a sender that is named to no component: one to which another is named that runs the same program, and what to call
   * the sender; undefined where there is none, or where the sender says no program.
   */
  kinOf(id: number): { componentId: number; name: string } | undefined {
    const own = this.byId.get(id);
    const program = own && programOf(own.attributes);
    if (!program || own.componentId !== null) return undefined;
    this.byProgram ??= new Map(
      [...this.byId.values()].flatMap(({ attributes, componentId }) => {
        const said = componentId === null ? undefined : programOf(attributes);
        return said === undefined ? [] : [[said, componentId as number] as const];
      }),
    );
    const componentId = this.byProgram.get(program);
    if (componentId === undefined) return undefined;
    const { "service.name": name = "", "host.name": host } = own.attributes;
    return { componentId, name: (host ? `${name} on ${host}` : name).slice(0, LONGEST_NAME) };
  }

  /** Hosts to which senders are named whose processes are not known yet, by one that runs the same elsewhere. */
  hostsBeside(): ReadonlyMap<number, number> {
    return (this.beside ??= hostsBeside(this.db));
  }

  /**
   * The sender with these attributes, kept when it is heard for the first time; inside a transaction.
   * @returns undefined where there are as many as are kept
   */
  of(attributes: ResourceAttributes, nowMs: number): KnownResource | undefined {
    const text = resourceText(attributes);
    const known = this.byText.get(text);
    if (known) return known;
    if (this.byId.size >= this.most) return undefined;
    const named = nameResource(attributes, this.book);
    return this.keep(text, {
      id: insertResource(this.db, text, named, nowMs),
      attributes,
      componentId: named.componentId,
      touchedMs: nowMs,
    });
  }

  /** Takes up what the estate and the rules are by now, and names anew whom that concerns; inside a transaction. */
  reload(): void {
    const name = new Map<string, number>();
    const address = new Map<string, number>();
    // What left the estate keeps its signals, until something present has its name.
    for (const row of everKnown(this.db)) {
      name.set(row.name.toLowerCase(), row.id);
      if (row.address && row.host_id === null) address.set(row.address, row.id);
    }
    this.known = { container: componentsOfKeys(this.db, CONTAINER_KEY), name, address };
    this.rules = matchingRules(this.db);
    this.forgetPrograms();
    for (const resource of this.byId.values()) this.nameAnew(resource);
  }

  /**
   * Takes up one component that came into the estate, and names anew only those who speak of it; inside a transaction.
   */
  welcome(
    { id, name, address, host_id }: Pick<ComponentRow, "id" | "name" | "address" | "host_id">,
    containerId: string | null,
  ): void {
    const knownAs: [KnownBy, string | null][] = [
      ["container", containerId],
      ["name", name.toLowerCase()],
      ["address", host_id === null ? address : null],
    ];
    for (const [by, value] of knownAs) if (value !== null) this.known[by].set(value, id);
    for (const [by, value] of knownAs)
      if (value !== null) for (const resource of this.byHint.get(hintKey(by, value)) ?? []) this.nameAnew(resource);
  }

  /** Forgets who has sent nothing since an instant and of whom nothing is kept any more; inside a transaction. */
  forget(beforeMs: number): void {
    if (beforeMs - this.forgottenMs < HOUR_MS) return;
    this.forgottenMs = beforeMs;
    if (forgetResources(this.db, beforeMs) > 0) this.read();
  }
  private forgottenMs = 0;

  private nameAnew(resource: KnownResource): void {
    const named = nameResource(resource.attributes, this.book);
    if (named.componentId === resource.componentId) return;
    renameResource(this.db, resource.id, named);
    resource.componentId = named.componentId;
    this.forgetPrograms();
    this.sampleWriter.rename(resource.id, named.componentId);
  }
}
