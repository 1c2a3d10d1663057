// Runs Holotaxis against real programs in name spaces of their own, and writes what it found to docs/outside.md.
import { spawnSync } from "node:child_process";
import { existsSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { install, root } from "./prepare.mjs";

const PROGRAMS = {
  "/usr/sbin/snmpd": "snmpd",
  "/usr/sbin/sshd": "openssh-server",
  "/usr/sbin/nginx": "nginx-light",
  "/usr/sbin/haproxy": "haproxy",
  "/usr/lib/postgresql/15/bin/postgres": "postgresql-15",
  "/usr/bin/redis-server": "redis-server",
  "/usr/bin/memcached": "memcached",
  "/usr/sbin/mosquitto": "mosquitto",
  "/usr/sbin/rsyslogd": "rsyslog",
  "/usr/bin/snmptrap": "snmp",
  "/usr/bin/virsh": "libvirt-clients",
  "/sbin/ip": "iproute2",
};
const say = (text) => process.stdout.write(`${text}\n`);

if (process.getuid?.() !== 0) {
  say("This needs root: it makes name spaces for network and processes.");
  process.exit(2);
}
const missing = Object.entries(PROGRAMS).flatMap(([file, name]) => (existsSync(file) ? [] : [name]));
if (missing.length) {
  say(`installing Debian's ${missing.join(", ")} …`);
  // Packages must not start their programs on this machine.
  const policy = "/usr/sbin/policy-rc.d";
  const own = !existsSync(policy);
  if (own) writeFileSync(policy, "#!/bin/sh\nexit 101\n", { mode: 0o755 });
  const options = { stdio: "ignore", env: { ...process.env, DEBIAN_FRONTEND: "noninteractive" } };
  spawnSync("apt-get", ["update", "-q"], options);
  const done = spawnSync("apt-get", ["install", "-y", "-q", "--no-install-recommends", ...missing], options);
  if (own) rmSync(policy);
  if (done.status !== 0) {
    say(`They could not be installed: ${missing.join(", ")}. Install them by hand.`);
    process.exit(1);
  }
}
install();
// A REST server of the registry, for this alone: nothing else needs it.
const own = join(root, "node_modules", ".outside");
if (!existsSync(join(own, "node_modules", "json-server"))) {
  say("installing json-server of the registry …");
  mkdirSync(own, { recursive: true });
  const done = spawnSync("npm", ["install", "--prefix", own, "--no-audit", "--no-fund", "json-server@0.17.4"], {
    stdio: "ignore",
  });
  if (done.status !== 0) {
    say("It could not be installed.");
    process.exit(1);
  }
}
const { status } = spawnSync(join(root, "node_modules", ".bin", "vitest"), ["run"], {
  cwd: root,
  stdio: "inherit",
  env: { ...process.env, OUTSIDE: "1", OUTSIDE_REPORT: "1" },
});
process.exit(status ?? 1);
