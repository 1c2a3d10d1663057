import { hintsOf, nameOrigin, type KnownBy, type NamingBook, type OriginAttributes } from "#core/estate/naming";
import type { Db } from "../store/database";
import { componentsOfKeys, everKnown, type ComponentRow } from "../store/estate";
import { allOrigins, forgetOrigins, insertOrigin, matchingRules, originText, renameOrigin } from "../store/origins";
import { HOUR_MS } from "#core/time/windows";
import { LIMITS } from "../receivers/limits";
import type { SampleWriter } from "./sample-writer";

export interface KnownOrigin {
  id: number;
  attributes: OriginAttributes;
  componentId: number | null;
  touchedMs: number;
}

const CONTAINER_KEY = "container:";
const hintKey = (by: KnownBy, value: string) => `${by} ${value}`;

/** Everybody who ever sent something, by what they say of themselves, and the components they are named to. */
export class Senders {
  private readonly byText = new Map<string, KnownOrigin>();
  private readonly byId = new Map<number, KnownOrigin>();
  /** Senders by each thing they say that may name a component. */
  private readonly byHint = new Map<string, KnownOrigin[]>();
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
    this.byText.clear();
    this.byId.clear();
    this.byHint.clear();
    for (const row of allOrigins(this.db))
      this.keep(row.attributes, {
        id: row.id,
        attributes: JSON.parse(row.attributes) as OriginAttributes,
        componentId: row.component_id,
        touchedMs: row.last_at,
      });
  }

  private keep(text: string, origin: KnownOrigin): KnownOrigin {
    this.byText.set(text, origin);
    this.byId.set(origin.id, origin);
    for (const key of new Set(hintsOf(origin.attributes).map(({ by, value }) => hintKey(by, value)))) {
      const others = this.byHint.get(key);
      if (others) others.push(origin);
      else this.byHint.set(key, [origin]);
    }
    return origin;
  }

  get book(): NamingBook {
    return { rules: this.rules, known: this.known };
  }

  all(): Iterable<KnownOrigin> {
    return this.byId.values();
  }

  get(id: number): KnownOrigin | undefined {
    return this.byId.get(id);
  }

  /**
   * The sender with these attributes, kept when it is heard for the first time; inside a transaction.
   * @returns undefined where there are as many as are kept
   */
  of(attributes: OriginAttributes, nowMs: number): KnownOrigin | undefined {
    const text = originText(attributes);
    const known = this.byText.get(text);
    if (known) return known;
    if (this.byId.size >= this.most) return undefined;
    const named = nameOrigin(attributes, this.book);
    return this.keep(text, {
      id: insertOrigin(this.db, text, named, nowMs),
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
    for (const origin of this.byId.values()) this.nameAnew(origin);
  }

  /** Takes up one component that came into the estate, and names anew only those who speak of it; inside a transaction. */
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
      if (value !== null) for (const origin of this.byHint.get(hintKey(by, value)) ?? []) this.nameAnew(origin);
  }

  /** Forgets who has sent nothing since an instant and of whom nothing is kept any more; inside a transaction. */
  forget(beforeMs: number): void {
    if (beforeMs - this.forgottenMs < HOUR_MS) return;
    this.forgottenMs = beforeMs;
    if (forgetOrigins(this.db, beforeMs) > 0) this.read();
  }
  private forgottenMs = 0;

  private nameAnew(origin: KnownOrigin): void {
    const named = nameOrigin(origin.attributes, this.book);
    if (named.componentId === origin.componentId) return;
    renameOrigin(this.db, origin.id, named);
    origin.componentId = named.componentId;
    this.sampleWriter.rename(origin.id, named.componentId);
  }
}
