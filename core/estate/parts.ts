import { argumentsOf, programOf, type Program } from "./programs";
import type { ConnectionRow, ListenerRow, SoftwareRow, SystemSighting } from "./sighting";
import { groupBy } from "../units/group";

/** What the estate keeps of a host as a component of its own: a program that runs, or a listener whose owner is unknown. */
export interface Part {
  /** Name that no other part of this host has: "orders", "cache:6380", "port 5432". */
  label: string;
  /** Undefined for a listener of which the host does not tell whose it is. */
  program: Program | undefined;
  rows: readonly SoftwareRow[];
  listeners: readonly ListenerRow[];
  connects: boolean;
  /** Of the operating system itself: listed, not made a component. */
  housekeeping: boolean;
}

export interface HostParts {
  parts: readonly Part[];
  ofPid: ReadonlyMap<number, Part>;
  /** Whoever listens there; by its exact address before those that listen on every one. */
  ofListener(address: string, port: number): Part | undefined;
}

/** Processes of the operating system itself that hold ports on every host. */
const HOUSEKEEPING = new Set([
  "sshd",
  "snmpd",
  "init",
  "systemd",
  "systemd-resolved",
  "systemd-networkd",
  "systemd-timesyncd",
  "cron",
  "rsyslogd",
  "ntpd",
  "chronyd",
  "agetty",
  "kthreadd",
  "rpcbind",
  "rpc.statd",
  "avahi-daemon",
  "dhclient",
]);
const SSH_PORT = 22;

/** Whether a listener stands on every address of its host. */
export const isEveryAddress = (address: string): boolean => address === "" || address === "0.0.0.0" || address === "::";

/** As the text of a key: the port alone where it is every address's. */
export const listenerText = ({ address, port }: Pick<ListenerRow, "address" | "port">): string =>
  isEveryAddress(address) ? String(port) : `${address}:${port}`;

const computed = new WeakMap<HostTables, HostParts>();

/** The tables of a host that tell what runs and who talks. */
export type HostTables = Pick<SystemSighting, "software" | "listeners" | "connections">;

/**
 * The programs of a host that serve or use the network, workers with their masters, instances of one program apart;
 * and its listeners whose process is not told. Computed once for each set of tables.
 */
export function partsOfTables(tables: HostTables): HostParts {
  let parts = computed.get(tables);
  if (!parts) computed.set(tables, (parts = compute(tables)));
  return parts;
}

/** Tables without the programs that use no network: the same parts, in less memory. */
export function networkTables({ software, listeners, connections }: HostTables): HostTables {
  const pids = new Set([...listeners, ...connections].map((one) => one.pid));
  const names = new Set(software.filter((row) => pids.has(row.pid)).map((row) => programOf(row).name));
  return { software: software.filter((row) => names.has(programOf(row).name)), listeners, connections };
}

function compute({ software, listeners, connections }: HostTables): HostParts {
  const groups = new Groups(software, listeners, connections);
  const ofPid = new Map<number, Part>();
  const parts: Part[] = [];
  const connected = new Set(connections.map((one) => one.pid));
  const listening = groupBy(listeners, (one) => one.pid);
  for (const [name, clusters] of groups.byProgram()) {
    const uses = (rows: readonly SoftwareRow[]) => rows.some(({ pid }) => listening.has(pid) || connected.has(pid));
    const instances = clusters.filter(uses);
    // What uses no network does not count among the instances, and comes after them.
    for (const rows of [...instances, ...clusters.filter((one) => !uses(one))]) {
      const pids = new Set(rows.map((row) => row.pid));
      const own = rows.flatMap(({ pid }) => listening.get(pid) ?? []);
      const part: Part = {
        label: instances.length < 2 ? name : instanceLabel(name, rows, own),
        program: programOf(rows[0] as SoftwareRow),
        rows,
        listeners: own,
        connects: rows.some(({ pid }) => connected.has(pid)),
        housekeeping: HOUSEKEEPING.has(name),
      };
      parts.push(part);
      for (const pid of pids) ofPid.set(pid, part);
    }
  }
  const nobodys = listeners.filter((one) => !ofPid.has(one.pid));
  for (const [text, rows] of groupBy(nobodys, listenerText)) parts.push(unowned(text, rows));
  distinguish(parts);
  const byListener = new Map<string, Part>();
  for (const part of parts) for (const one of part.listeners) byListener.set(listenerText(one), part);
  return {
    parts: parts.filter((part) => part.listeners.length > 0 || part.connects),
    ofPid,
    ofListener: (address, port) => byListener.get(listenerText({ address, port })) ?? byListener.get(String(port)),
  };
}

const unowned = (text: string, rows: ListenerRow[]): Part => ({
  label: `port ${text}`,
  program: undefined,
  rows: [],
  listeners: rows,
  connects: false,
  housekeeping: rows.some((one) => one.port === SSH_PORT),
});

/** Two parts that would still be called the same get a number. */
function distinguish(parts: Part[]): void {
  const met = new Map<string, number>();
  for (const part of parts) {
    const count = (met.get(part.label) ?? 0) + 1;
    met.set(part.label, count);
    if (count > 1) part.label = `${part.label} (${count})`;
  }
}

function instanceLabel(name: string, rows: readonly SoftwareRow[], listeners: readonly ListenerRow[]): string {
  const port = Math.min(...listeners.map((one) => one.port));
  if (Number.isFinite(port)) return `${name}:${port}`;
  const place = rows.map(placeOf).find(Boolean);
  const told = place ?? (rows[0] ? distinctWord(rows[0]) : "");
  return told ? `${name} (${told})` : name;
}

/** Where a process belongs: its container, else its system service. */
const placeOf = (row: SoftwareRow): string | undefined => row.container?.slice(0, 12) ?? row.unit;

/** Argument that tells one instance from another: not a number, an address or a file that changes with each start. */
function distinctWord(row: SoftwareRow): string {
  const { runs } = programOf(row);
  const words = argumentsOf(row.parameters).filter((word) => word !== runs && !PASSING.test(word));
  return (words.find((word) => !/^-\w?$/.test(word)) ?? "").slice(0, 40);
}
const PASSING = /^[-+]?\d+$|:\/\/|^\/tmp\/|[0-9a-f]{12,}/;

/** Finds which processes are one instance of a program. */
class Groups {
  private readonly above = new Map<number, number>();
  private readonly rowOf: Map<number, SoftwareRow>;
  private readonly nameOf: Map<number, string>;

  constructor(
    private readonly software: readonly SoftwareRow[],
    private readonly listeners: readonly ListenerRow[],
    connections: readonly ConnectionRow[],
  ) {
    this.rowOf = new Map(software.map((row) => [row.pid, row]));
    this.nameOf = new Map(software.map((row) => [row.pid, programOf(row).name]));
    for (const { pid, parent } of software) if (parent !== undefined) this.unite(pid, parent);
    const holder = new Map<string, number>();
    for (const one of listeners) {
      const held = holder.get(listenerText(one));
      if (held === undefined) holder.set(listenerText(one), one.pid);
      else this.unite(held, one.pid);
    }
    // A worker that serves a connection to a port belongs to whoever listens on it.
    for (const one of connections) {
      const held = holder.get(`${one.localAddress}:${one.localPort}`) ?? holder.get(String(one.localPort));
      if (held !== undefined) this.unite(held, one.pid);
    }
  }

  private root(pid: number): number {
    let at = pid;
    for (let next = this.above.get(at); next !== undefined; next = this.above.get(at)) at = next;
    return at;
  }

  private unite(a: number, b: number): void {
    const [left, right] = [this.rowOf.get(a), this.rowOf.get(b)];
    if (!left || !right || a === b || this.nameOf.get(a) !== this.nameOf.get(b)) return;
    const [place, elsewhere] = [placeOf(left), placeOf(right)];
    if (place && elsewhere && place !== elsewhere) return;
    const [one, other] = [this.root(a), this.root(b)];
    if (one !== other) this.above.set(Math.max(one, other), Math.min(one, other));
  }

  /** Instances of each program, in the order of their processes. */
  byProgram(): Map<string, SoftwareRow[][]> {
    const listens = new Set(this.listeners.map((one) => one.pid));
    const result = new Map<string, SoftwareRow[][]>();
    for (const [name, rows] of groupBy(this.software, (row) => this.nameOf.get(row.pid) as string)) {
      const clusters = [...groupBy(rows, (row) => this.root(row.pid)).values()];
      const serving = clusters.filter((cluster) => cluster.some((row) => listens.has(row.pid)));
      const others = clusters.filter((cluster) => !serving.includes(cluster));
      result.set(name, serving.length > 0 ? placed(serving, others) : byWhatTheyDo(others));
    }
    return result;
  }
}

/** Workers go to the one instance that serves, or to the one with their unit or command line. */
function placed(serving: SoftwareRow[][], others: SoftwareRow[][]): SoftwareRow[][] {
  const left: SoftwareRow[][] = [];
  for (const cluster of others) {
    const like = (row: SoftwareRow) =>
      cluster.some((one) =>
        placeOf(one) && placeOf(row)
          ? placeOf(one) === placeOf(row)
          : serving.length === 1 || one.parameters === row.parameters,
      );
    const home = serving.find((instance) => instance.some(like));
    if (home) home.push(...cluster);
    else left.push(cluster);
  }
  return [...serving, ...byWhatTheyDo(left)];
}

/** Without listeners, instances are told apart by service or container, else by what their command lines say. */
const byWhatTheyDo = (clusters: SoftwareRow[][]): SoftwareRow[][] =>
  [
    ...groupBy(
      clusters,
      (cluster) => cluster.map(placeOf).find(Boolean) ?? distinctWord(cluster[0] as SoftwareRow),
    ).values(),
  ].map((group) => group.flat());
