import { fitsPattern } from "../estate/pattern";

/** Where a service is entered. */
export interface Entrance {
  service: number;
  component: number;
  /** Patterns of the operations that are asked there for it; all that no other service claims where left out. */
  operations?: readonly string[] | undefined;
}

/** Whom the operations of a component call, as traces tell: components by the operation's name. */
export type Leads = ReadonlyMap<string, ReadonlySet<number>>;

const claims = ({ operations }: Entrance, name: string): boolean =>
  operations?.some((pattern) => fitsPattern(pattern, name)) === true;

/**
 * Which calls belong to which service, of those that are entered at the same component. One front may be entered for several services: what a service claims there by
 * name is its own, and everything else belongs to those that are entered there as a whole.
 */
export class WaysIn {
  private readonly at = new Map<number, Entrance[]>();
  private readonly shared = new Set<number>();

  constructor(entrances: Iterable<Entrance>) {
    for (const one of entrances) {
      const here = this.at.get(one.component) ?? [];
      this.at.set(one.component, [...here, one]);
      if (one.operations) this.shared.add(one.component);
    }
  }

  /** Components that are entered for one thing by one service and for another by others. */
  get sharedComponents(): ReadonlySet<number> {
    return this.shared;
  }

  /** Whether what is asked of a component under a name is asked of a service that is entered there. */
  takes(service: number, component: number, operation: string): boolean {
    if (!this.shared.has(component)) return true;
    const here = this.at.get(component) ?? [];
    const own = here.filter((one) => one.service === service);
    if (own.some((one) => claims(one, operation))) return true;
    return own.some((one) => !one.operations) && !here.some((one) => claims(one, operation));
  }

  /**
   * Whether a service goes on from a component to one that it calls: not where only what belongs to others leads there.
   * @param leads of the component; undefined while no trace tells
   */
  follows(service: number, component: number, callee: number, leads: Leads | undefined): boolean {
    if (!this.shared.has(component)) return true;
    const own = (this.at.get(component) ?? []).filter((one) => one.service === service);
    if (own.length === 0) return true;
    const leading = [...(leads ?? [])].filter(([, callees]) => callees.has(callee)).map(([operation]) => operation);
    // What no trace tells of may be for anything that is asked there.
    if (leading.length === 0) return own.some((one) => !one.operations);
    return leading.some((operation) => this.takes(service, component, operation));
  }
}
