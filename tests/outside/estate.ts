import { spawn, spawnSync, type ChildProcess } from "node:child_process";
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";

/** Addresses of the hosts; the first is this machine's. Private addresses (RFC 1918) on a bridge of their own. */
export const NET = "10.77.0";
const BRIDGE = "hxbr0";
export const ROOT = join(process.cwd(), "node_modules", ".outside");

const run = (command: string, ...args: string[]) => {
  const done = spawnSync(command, args, { encoding: "utf8" });
  if (done.status !== 0) throw new Error(`${command} ${args.join(" ")}: ${done.stderr || done.error?.message}`);
  return done.stdout;
};
const quietly = (command: string, ...args: string[]) => void spawnSync(command, args);

/** One pretended host: name spaces of its own for network, processes and host name, and real programs in them. */
export class OutsideHost {
  private init: ChildProcess | undefined;
  readonly folder: string;

  constructor(
    readonly name: string,
    readonly address: string,
  ) {
    this.folder = join(ROOT, name);
  }

  /** @param script what its first process runs, as a shell script; it stays until the end */
  start(script: string): void {
    rmSync(this.folder, { recursive: true, force: true });
    mkdirSync(this.folder, { recursive: true });
    run("chmod", "777", this.folder);
    quietly("ip", "netns", "del", this.name);
    run("ip", "netns", "add", this.name);
    const [outer, inner] = [`hx-${this.name}`, "eth0"];
    run("ip", "link", "add", outer, "type", "veth", "peer", "name", inner, "netns", this.name);
    run("ip", "link", "set", outer, "master", BRIDGE, "up");
    this.in("ip", "link", "set", "lo", "up");
    this.in("ip", "link", "set", inner, "up");
    this.in("ip", "addr", "add", `${this.address}/24`, "dev", inner);
    this.in("ip", "-6", "addr", "add", `fd77::${this.address.split(".")[3]}/64`, "dev", inner, "nodad");
    writeFileSync(join(this.folder, "init.sh"), `hostname ${this.name}\n${script}\nwait\nsleep infinity\n`);
    this.init = spawn(
      "ip",
      [
        "netns",
        "exec",
        this.name,
        "unshare",
        "--pid",
        "--fork",
        "--kill-child",
        "--mount-proc",
        "--uts",
        "bash",
        "init.sh",
      ],
      { cwd: this.folder, stdio: "ignore", detached: true },
    );
  }

  private in(...command: string[]): string {
    return run("ip", "netns", "exec", this.name, ...command);
  }

  /** Runs a command among its processes. */
  inside(...command: string[]): string {
    const inner = run(
      "pgrep",
      "-P",
      String(
        run("pgrep", "-f", `unshare.*bash init.sh`)
          .split("\n")
          .find((pid) => this.isOurs(pid)),
      ),
    ).trim();
    return run("nsenter", "-t", inner, "-p", "-n", "-m", "-u", ...command);
  }

  private isOurs(pid: string): boolean {
    const found = spawnSync("readlink", [`/proc/${pid}/cwd`], { encoding: "utf8" });
    return found.stdout.trim() === this.folder;
  }

  stop(): void {
    try {
      if (this.init?.pid) process.kill(-this.init.pid, "SIGKILL");
    } catch {
      // It has ended already.
    }
    quietly("ip", "netns", "del", this.name);
    quietly("ip", "link", "del", `hx-${this.name}`);
  }
}

export function makeBridge(): void {
  quietly("ip", "link", "del", BRIDGE);
  run("ip", "link", "add", BRIDGE, "type", "bridge");
  run("ip", "link", "set", BRIDGE, "up");
  run("ip", "addr", "add", `${NET}.1/24`, "dev", BRIDGE);
  run("ip", "-6", "addr", "add", "fd77::1/64", "dev", BRIDGE, "nodad");
}

export const dropBridge = (): void => quietly("ip", "link", "del", BRIDGE);
