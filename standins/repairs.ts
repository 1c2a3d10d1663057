import type { ScenarioRepair } from "./scenario/schema";
import type { Estate } from "./seen/estate";
import { deviceOf } from "./seen/disk-counters";
import type { HostView } from "./seen/host-view";

/** What a command of a host needs. */
export interface Shell {
  estate: Estate;
  host: HostView;
  now: () => number;
  /** Waits a span of the estate's time. */
  sleep: (ms: number) => Promise<void>;
  /** Called after a command changed what runs. */
  onEffect: (host: HostView) => void;
  say: (text: string) => void;
  complain: (text: string) => void;
}

type Command = (words: string[], shell: Shell) => Promise<number> | number;

/** A repair that ends whatever it is the answer to, and says so. */
function mend(
  repair: ScenarioRepair,
  done: string,
  nothing: string,
  { estate, host, now, onEffect, say }: Shell,
): number {
  const ended = estate.world.repair(repair, now());
  onEffect(host);
  say(ended ? done : nothing);
  return 0;
}

/** `service NAME status|stop|start|restart`, after the init script actions of the Linux Standard Base. */
const service: Command = async ([name = "", action = ""], { estate, host, now, sleep, onEffect, say, complain }) => {
  const station = host.station(name);
  if (!station) {
    complain(`service: ${name}: unrecognized service`);
    return 4;
  }
  const pid = () => (host.isRunning(station, now()) ? host.pidOf(station) : undefined);
  switch (action) {
    case "status": {
      const running = pid();
      say(running ? `${name} is running (pid ${running})` : `${name} is stopped`);
      return running ? 0 : 3;
    }
    case "stop":
    case "restart":
      say(`Stopping ${name} (pid ${pid() ?? "none"})`);
      await sleep(1500);
      if (action === "stop") estate.world.stop(station, now());
      else estate.world.restart(station, now());
      onEffect(host);
      if (action === "stop") return 0;
      break;
    case "start":
      if (pid()) return 0;
      estate.world.start(station, now());
      break;
    default:
      complain(`service: ${action}: action not understood; use status, start, stop or restart`);
      return 2;
  }
  say(`Starting ${name}`);
  await sleep(5000);
  onEffect(host);
  say(pid() ? `${name} is running (pid ${pid()})` : `${name} did not start`);
  return pid() ? 0 : 1;
};

const ps: Command = (_words, { host, now, say }) => {
  const rows = host.software(now()).sort((a, b) => b.memoryBytes - a.memoryBytes);
  say("    PID     RSS COMMAND");
  for (const row of rows.slice(0, 15))
    say(`${String(row.pid).padStart(7)} ${String(Math.round(row.memoryBytes / 1024)).padStart(7)} ${row.name}`);
  return 0;
};

const df: Command = (_words, { host, now, say }) => {
  say("Filesystem     1024-blocks      Used Available Capacity Mounted on");
  for (const row of host.poll(now()).storage.filter((one) => one.type === "disk")) {
    const share = Math.round((row.usedBytes / row.sizeBytes) * 100);
    const kib = (bytes: number) => Math.round(bytes / 1024);
    say(
      `/dev/vda1 ${kib(row.sizeBytes)} ${kib(row.usedBytes)} ${kib(row.sizeBytes - row.usedBytes)} ${share}% ${row.label}`,
    );
  }
  return 0;
};

const uptime: Command = (_words, { host, now, say }) => {
  const at = now();
  const poll = host.poll(at);
  const load = poll.processorLoads.reduce((sum, one) => sum + one, 0) / 100 || 0;
  say(`up ${Math.floor((at - host.upSinceMs()) / 86_400_000)} days, load average: ${load.toFixed(2)}`);
  return 0;
};

const logrotate: Command = async (words, { estate, host, now, sleep, say }) => {
  const mount = words.at(-1) ?? "/";
  say(`rotating logs on ${mount}`);
  await sleep(2000);
  const disk = host.machine.disks.find((one) => one.spec.mount === mount);
  say(disk && estate.world.tidy(disk, now()) ? "old logs compressed and removed" : "nothing to rotate");
  return 0;
};

/** `release NAME back`: puts a process back to the version it had before. */
const release: Command = async ([name = "", action = ""], shell) => {
  const { estate, host, now, sleep, onEffect, say, complain } = shell;
  const station = host.station(name);
  if (!station) {
    complain(`release: ${name}: no such process`);
    return 4;
  }
  if (action !== "back") {
    say(`${name} ${host.versionOf(station, now())}`);
    return 0;
  }
  say(`taking ${name} ${host.versionOf(station, now())} back`);
  await sleep(4000);
  const version = estate.world.rollBack(station, now());
  onEffect(host);
  await sleep(5000);
  onEffect(host);
  say(`${name} ${version} is running`);
  return 0;
};

/** `setting NAME KEY default`: puts a setting of a process back. */
const setting: Command = async ([process = "", key = "", value = ""], shell) => {
  const { host, sleep, complain } = shell;
  if (!host.station(process) || !/^[a-z][a-z0-9-]*$/.test(key) || value !== "default") {
    complain("setting: use setting PROCESS KEY default");
    return 2;
  }
  await sleep(2000);
  return mend(
    { do: "set", host: host.name, process, setting: key },
    `${key} of ${process} is at its default`,
    `${key} of ${process} was at its default`,
    shell,
  );
};

const certificate: Command = async ([process = "", action = ""], shell) => {
  const { host, sleep, complain } = shell;
  if (!host.station(process) || action !== "renew") {
    complain("certificate: use certificate PROCESS renew");
    return 2;
  }
  await sleep(6000);
  return mend(
    { do: "renew-certificate", host: host.name, process },
    "a new certificate is in use",
    "the certificate was still valid, and is renewed",
    shell,
  );
};

const setClock: Command = async (_words, shell) => {
  await shell.sleep(2000);
  return mend({ do: "set-clock", host: shell.host.name }, "clock set from the time servers", "clock was right", shell);
};

/** `firewall open`: takes back what closes a host off from those it calls. */
const firewall: Command = async (_words, shell) => {
  await shell.sleep(1500);
  return mend(
    { do: "open", host: shell.host.name },
    "rules of the network put back",
    "no rule stands in the way",
    shell,
  );
};

/**
 * `find DIRECTORY … -mmin -MINUTES -size +KIBk -print`: what the jobs of a host have written, the only files that the
 * stand-in has. Other predicates are taken and do not matter.
 */
const find: Command = ([directory = "/", ...predicates], { estate, host, now, say }) => {
  const after = (name: string) => Number.parseInt((predicates[predicates.indexOf(name) + 1] ?? "").slice(1), 10);
  const minutes = predicates.includes("-mmin") ? after("-mmin") : Number.POSITIVE_INFINITY;
  const kib = predicates.includes("-size") ? after("-size") : 0;
  const { layout, state } = estate.world;
  host.poll(now());
  const mount = host.machine.disks.map((one) => one.spec.mount).find((one) => one !== "/") ?? "/var/backups";
  for (const { index, spec } of layout.jobs.filter((one) => one.spec.host === host.name)) {
    const endedMs = state.job.endedAtMs[index] as number;
    const path = `${mount}/${spec.name}.img`;
    const size = spec.rows * 2;
    if (!endedMs || !path.startsWith(directory) || now() - endedMs > minutes * 60_000 || size <= kib) continue;
    say(path);
  }
  return 0;
};

/** `rotation leave`: takes a host out of those that requests go to. */
const rotation: Command = async (_words, shell) => {
  await shell.sleep(1500);
  return mend(
    { do: "take-out", host: shell.host.name },
    "no requests come here any more",
    "it was put in for good; nothing changed",
    shell,
  );
};

/** `container NAME quota default`. */
const container: Command = async ([name = ""], shell) => {
  const { host, sleep, complain } = shell;
  if (!host.machine.containers.some((one) => one.spec.name === name)) {
    complain(`container: ${name}: no such container`);
    return 4;
  }
  await sleep(3000);
  return mend(
    { do: "quota", host: host.name, container: name },
    `${name} has its former limits`,
    `${name} has its usual limits`,
    shell,
  );
};

/** What platforms call the volume under a mount point, and the system its device. */
const namesOf = (host: HostView, mount: string): string[] => [
  deviceOf(
    host,
    host.machine.disks.findIndex((one) => one.spec.mount === mount),
  ),
  ...(mount === "/" ? [`${host.name}-system`, `${host.name}-vda`] : [`${host.name}${mount.replaceAll("/", "-")}`]),
];

/** `disk MOUNT move`: to a healthy device; a device or a volume is known by its name too. */
const disk: Command = async ([named = ""], shell) => {
  const { host, sleep, complain } = shell;
  const mount =
    host.machine.disks.map((one) => one.spec.mount).find((one) => namesOf(host, one).includes(named)) ?? named;
  if (!host.machine.disks.some((one) => one.spec.mount === mount)) {
    complain(`disk: ${mount}: not mounted`);
    return 4;
  }
  await sleep(20_000);
  return mend(
    { do: "replace-disk", host: host.name, mount },
    `${mount} is on a healthy device`,
    `${mount} was on a healthy device`,
    shell,
  );
};

/** The commands of a Linux host. */
const LINUX: Readonly<Record<string, Command>> = {
  service,
  ps,
  df,
  uptime,
  logrotate,
  release,
  setting,
  certificate,
  ntpd: setClock,
  firewall,
  find,
  rotation,
  container,
  disk,
  echo: (words, { say }) => {
    say(words.join(" "));
    return 0;
  },
  true: () => 0,
};

/** A host's name without its domain. */
const shortName = (name: string): string => name.split(".")[0] ?? name;

/** `line NAME up`: brings the line to a machine, to another site, or at a port up again. */
const line: Command = async ([name = ""], shell) => {
  const { estate, host, sleep, complain } = shell;
  const { layout } = estate.world;
  await sleep(3000);
  // People say “South Quay” of its machine room.
  const site = layout.scenario.sites.find(
    ({ id, name: own }) => id === name || own === name || own.startsWith(`${name} `),
  );
  if (site)
    return mend(
      { do: "mend-link", between: [host.site.id, site.id] },
      `line to ${site.name} is up`,
      `line to ${site.name} was up`,
      shell,
    );
  const atPort = host.lineAt(name);
  if (atPort) return mend({ do: "mend-link", ...atPort }, `${name} is up`, `${name} was up`, shell);
  const wired = host.machine.wired.find((one) => one.name === name || one.name === shortName(name));
  if (!wired) {
    complain(`line: nothing named ${name} hangs here`);
    return 4;
  }
  return mend({ do: "mend-link", host: wired.name }, `line to ${name} is up`, `line to ${name} was up`, shell);
};

/** `power NAME on`: through the controller that a switch room has for what stands there. */
const power: Command = async ([name = "", action = ""], shell) => {
  const { estate, host, now, sleep, onEffect, say, complain } = shell;
  const target = estate.host(name) ?? estate.host(shortName(name));
  if (!target || target.site !== host.site || action !== "on") {
    complain("power: use power HOST on, for a host of this site");
    return 2;
  }
  await sleep(4000);
  const ended = estate.world.repair({ do: "power-on", host: target.name }, now());
  onEffect(target);
  say(ended ? `${name} is switched on` : `${name} was on`);
  return 0;
};

/** `size NAME default`: gives a virtual machine of this hypervisor its former size. */
const size: Command = async ([name = "", value = ""], shell) => {
  const { host, sleep, complain } = shell;
  if (!host.machine.guests.some((one) => one.name === name) || value !== "default") {
    complain("size: use size MACHINE default, for a machine of this hypervisor");
    return 2;
  }
  await sleep(5000);
  return mend({ do: "resize", host: name }, `${name} has its former size`, `${name} has its usual size`, shell);
};

/** The commands of a switch and of a hypervisor. */
const DEVICE: Readonly<Record<string, Command>> = {
  line,
  power,
  size,
  uptime,
  echo: LINUX.echo as Command,
  true: () => 0,
};

/** Runs one command line that has been split into words. @returns its exit status */
export async function runCommand(words: string[], shell: Shell): Promise<number> {
  const [command = "", ...rest] = words;
  const known = shell.host.role.system === "linux" ? LINUX : DEVICE;
  const run = Object.hasOwn(known, command) ? known[command] : undefined;
  if (run) return run(rest, shell);
  shell.complain(`sh: ${command}: not found`);
  return 127;
}
