import type { RelationType } from "../catalogue/kinds";
import type { Depth } from "./observation";

/** A component that joined another, by keys that both had: what it takes to part them again. */
export interface Joined {
  id: number;
  keys: readonly string[];
}

/** A component as the plan needs it. */
export interface KnownComponent {
  id: number;
  kind: string;
  confidence: number;
  name: string;
  site: string;
  sourceId: number | null;
  hostId: number | null;
  address: string | null;
  process: string | null;
  container: string | null;
  depth: Depth;
  readBy: string;
  /** Full listings in a row that lacked it. */
  missed: number;
  /** Retired components are found again when they come back. */
  retired: boolean;
  validFrom: number;
  keys: readonly string[];
  /** Keys that a person said are this one's, for ever, and when that was. */
  pinned: ReadonlyMap<string, number>;
  facts: Readonly<Record<string, string>>;
  /** Of facts that only platforms tell, which source told them. */
  tellers: Readonly<Record<string, string>>;
  /** Components that turned out to be this one. */
  joined: readonly Joined[];
}

export interface KnownRelation {
  id: number;
  type: RelationType;
  fromId: number;
  toId: number;
  detail: string;
  seenBy: string;
  missed: number;
  /** It comes and goes: a look saw it again that another had missed. */
  intermittent: boolean | number;
  lastSeenAt: number;
}

/** As much of the estate as a plan asks about. */
export interface KnownEstate {
  component(id: number): KnownComponent | undefined;
  ofKey(key: string): number | undefined;
  /** Whether a present component is called so, in any case of letters. */
  nameTaken(name: string): boolean;
  relation(type: RelationType, fromId: number, toId: number, detail: string): KnownRelation | undefined;
  relationsFrom(id: number, type: RelationType): KnownRelation[];
  /** Present parts of a host. */
  partsOf(hostId: number): number[];
}

/** The whole estate, present and retired, in memory. */
export class EstateBook implements KnownEstate {
  private readonly byId: Map<number, KnownComponent>;
  private readonly byKey = new Map<string, number>();
  private readonly names = new Set<string>();
  private readonly byEnds = new Map<string, KnownRelation>();
  private readonly outgoing = new Map<number, KnownRelation[]>();

  constructor(
    readonly components: readonly KnownComponent[],
    readonly relations: readonly KnownRelation[],
  ) {
    this.byId = new Map(components.map((one) => [one.id, one]));
    for (const one of components) {
      for (const key of one.keys) this.byKey.set(key, one.id);
      if (!one.retired) this.names.add(one.name.toLowerCase());
    }
    for (const one of relations) {
      this.byEnds.set(endsOf(one.type, one.fromId, one.toId, one.detail), one);
      const list = this.outgoing.get(one.fromId);
      if (list) list.push(one);
      else this.outgoing.set(one.fromId, [one]);
    }
  }

  component(id: number): KnownComponent | undefined {
    return this.byId.get(id);
  }
  ofKey(key: string): number | undefined {
    return this.byKey.get(key);
  }
  nameTaken(name: string): boolean {
    return this.names.has(name.toLowerCase());
  }
  relation(type: RelationType, fromId: number, toId: number, detail: string): KnownRelation | undefined {
    return this.byEnds.get(endsOf(type, fromId, toId, detail));
  }
  relationsFrom(id: number, type: RelationType): KnownRelation[] {
    return (this.outgoing.get(id) ?? []).filter((one) => one.type === type);
  }
  partsOf(hostId: number): number[] {
    return this.components.filter((one) => one.hostId === hostId && !one.retired).map((one) => one.id);
  }
}

const endsOf = (type: string, from: number, to: number, detail: string) => `${type}|${from}|${to}|${detail}`;
