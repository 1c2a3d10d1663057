import { readdirSync } from "node:fs";
import { join } from "node:path";
import { link } from "./processes";

/** Looks in a row that make do with the processes that had sockets before; the next one asks all. */
const LOOKS_BETWEEN = 10;

/**
 * Whose each socket is. To ask every process for its open files takes long on a big host, so what is known of a socket
 * is kept, and those that had sockets before are asked first.
 */
export class SocketOwners {
  private readonly owner = new Map<number, number>();
  private likely = new Set<number>();
  private seen = new Set<number>();
  private looks = 0;

  constructor(private readonly proc: string) {}

  /** @returns the process of each inode that is known */
  resolve(inodes: ReadonlySet<number>, pids: readonly number[]): ReadonlyMap<number, number> {
    const running = new Set(pids);
    for (const [inode, pid] of this.owner) if (!inodes.has(inode) || !running.has(pid)) this.owner.delete(inode);
    const all = this.looks++ % LOOKS_BETWEEN === 0;
    const fresh = pids.filter((pid) => !this.seen.has(pid));
    const order = [...new Set([...fresh, ...[...this.likely].filter((pid) => running.has(pid)), ...(all ? pids : [])])];
    let open = [...inodes].filter((inode) => !this.owner.has(inode)).length;
    for (const pid of order) {
      if (open === 0) break;
      for (const inode of this.socketsOf(pid)) {
        if (!inodes.has(inode) || this.owner.has(inode)) continue;
        this.owner.set(inode, pid);
        open--;
      }
    }
    this.likely = new Set(this.owner.values());
    this.seen = running;
    return this.owner;
  }

  private socketsOf(pid: number): number[] {
    const folder = join(this.proc, String(pid), "fd");
    let names: string[];
    try {
      names = readdirSync(folder);
    } catch {
      return [];
    }
    return names.flatMap((name) => {
      const inode = /^socket:\[(\d+)\]$/.exec(link(join(folder, name)) ?? "")?.[1];
      return inode === undefined ? [] : [Number(inode)];
    });
  }
}
