import { readSockets } from "#core/estate/linux";
import type { OutsideHost } from "./estate";

/** Who talks to whom, as `ss` shows it on both ends. */
export interface Pair {
  fromHost: string;
  /** Name of the process as the system has it. */
  from: string;
  toHost: string;
  port: number;
}

/** A relation of the estate; a null process where it begins or ends at a host or at a listener without a process. */
export interface Related {
  fromHost: string;
  from: string | null;
  toHost: string;
  to: string | null;
  port: number;
}

const text = (one: Pair) => `${one.fromHost}: ${one.from} → ${one.toHost}:${one.port}`;

/** Collects what `ss` shows inside each host, look by look. */
export class Truth {
  private readonly seen = new Map<string, Pair>();

  constructor(private readonly hosts: readonly OutsideHost[]) {}

  /** @returns how many pairs were met so far */
  look(): number {
    const byAddress = new Map(this.hosts.map((host) => [host.address, host]));
    for (const host of this.hosts) {
      let printed: string;
      try {
        printed = host.inside("ss", "-tanpH");
      } catch {
        continue;
      }
      const sockets = readSockets(new Map([["sockets", printed]]));
      const listens = new Set(sockets.listeners.map((one) => one.port));
      const names = new Map(
        [...printed.matchAll(/\("([^"]+)",pid=(\d+)/g)].map((one) => [Number(one[2]), one[1] as string]),
      );
      for (const row of sockets.connections) {
        const callee = byAddress.get(row.remoteAddress);
        const from = names.get(row.pid);
        if (!callee || !from || listens.has(row.localPort)) continue;
        const command = from === "node" ? host.inside("ps", "-o", "args=", "-p", String(row.pid)) : from;
        const runs = /apps\/(\w+)\.mjs/.exec(command)?.[1] ?? from;
        const pair: Pair = { fromHost: host.name, from: runs, toHost: callee.name, port: row.remotePort };
        this.seen.set(text(pair), pair);
      }
    }
    return this.seen.size;
  }

  pairs(): Pair[] {
    return [...this.seen.values()];
  }
}

export interface Compared {
  all: number;
  /** Known from process to process. */
  exact: number;
  /** Known, but only that it comes from that host, or goes to that listener. */
  lessExact: string[];
  missing: string[];
  /** Relations that `ss` never showed. */
  wrong: string[];
}

export function compare(relations: readonly Related[], pairs: readonly Pair[]): Compared {
  const result: Compared = { all: pairs.length, exact: 0, lessExact: [], missing: [], wrong: [] };
  for (const pair of pairs) {
    const there = relations.filter(
      (one) => one.fromHost === pair.fromHost && one.toHost === pair.toHost && one.port === pair.port,
    );
    if (there.some((one) => one.from === pair.from && one.to !== null)) result.exact++;
    else if (there.some((one) => one.from === null || one.to === null)) result.lessExact.push(text(pair));
    else result.missing.push(text(pair));
  }
  for (const one of relations) {
    const isTrue = pairs.some(
      (pair) =>
        pair.fromHost === one.fromHost &&
        pair.toHost === one.toHost &&
        pair.port === one.port &&
        (one.from === null || one.from === pair.from),
    );
    if (!isTrue) result.wrong.push(`${one.fromHost}: ${one.from ?? "?"} → ${one.toHost}:${one.port}`);
  }
  return result;
}
