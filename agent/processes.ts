import { readdirSync, readFileSync, readlinkSync } from "node:fs";
import { join } from "node:path";

/** A process as /proc tells of it. */
export interface ProcessRow {
  pid: number;
  name: string;
  path: string;
  parameters: string;
  parent: number;
  user: string;
  unit?: string;
  container?: string;
}

const MOST_PROCESSES = 10_000;
const MOST_PARAMETERS = 400;

function text(file: string): string | undefined {
  try {
    return readFileSync(file, "utf8");
  } catch {
    // It ended meanwhile, or is not for this user to see.
    return undefined;
  }
}

export const link = (file: string): string | undefined => {
  try {
    return readlinkSync(file);
  } catch {
    return undefined;
  }
};

export const pidsBelow = (proc: string): number[] =>
  readdirSync(proc)
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .slice(0, MOST_PROCESSES);

/** "0::/system.slice/nginx.service" is nginx; sessions of people are none. */
export function unitOf(group: string): string | undefined {
  const unit = group
    .trim()
    .split("/")
    .reverse()
    .find((part) => part.endsWith(".service"));
  return unit && !/^(user@|session-|init\.)/.test(unit) ? unit.replace(/\.service$/, "") : undefined;
}

export const containerOf = (group: string): string | undefined =>
  /(?:^|[/-])([0-9a-f]{64})(?:\.scope)?(?:\/|$)/m.exec(group)?.[1];

/** Names of users by their number, from passwd(5). */
export const readUsers = (passwd: string): Map<string, string> =>
  new Map(
    passwd.split("\n").flatMap((line) => {
      const [name, , uid] = line.split(":");
      return name && uid ? [[uid, name] as const] : [];
    }),
  );

/** One process; undefined for threads of the kernel and what has ended. */
export function readProcess(proc: string, pid: number, users: ReadonlyMap<string, string>): ProcessRow | undefined {
  const folder = join(proc, String(pid));
  const command = text(join(folder, "cmdline"));
  const status = text(join(folder, "status"));
  if (!command || status === undefined) return undefined;
  const [program = "", ...rest] = command.replace(/\0+$/, "").split("\0");
  const field = (name: string) => new RegExp(`^${name}:\\s+(\\S+)`, "m").exec(status)?.[1] ?? "";
  const group = text(join(folder, "cgroup")) ?? "";
  const unit = unitOf(group);
  const container = containerOf(group);
  const path = link(join(folder, "exe"))?.replace(/ \(deleted\)$/, "") ?? program.split(" ")[0] ?? "";
  // A program that wrote a title over its arguments: "nginx: worker process".
  const titled = /^[\w.+-]+: /.test(program);
  return {
    pid,
    name: field("Name"),
    path,
    parameters: (titled ? program : rest.join(" ")).slice(0, MOST_PARAMETERS),
    parent: Number(field("PPid")) || 0,
    user: users.get(field("Uid")) ?? field("Uid"),
    ...(unit ? { unit } : {}),
    ...(container ? { container } : {}),
  };
}
