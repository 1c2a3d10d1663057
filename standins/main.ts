import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { parseArgs } from "node:util";
import { machineSpanMs, readClock, type ClockSetting } from "#core/time/clock";
import { AgentTokens } from "./agent-tokens";
import { Authority } from "./certificates";
import { makeAdminDoor } from "./admin-door";
import { startClouds } from "./clouds/start";
import { startClusters } from "./cluster/serve";
import { startControl } from "./control";
import { Emitter } from "./emitter";
import { makeKeyPair } from "./keys.mjs";
import { Estate } from "./seen/estate";
import type { HostView } from "./seen/host-view";
import { makeNameServer, zonesOf } from "./name-server";
import { Notifier } from "./notifier";
import { startPrivateClouds } from "./private-cloud/serve";
import { makeTicketServer } from "./tickets";
import { Mailbox, CallBox } from "./mailbox";
import { startMailServer } from "./mail-server";
import { startManagers } from "./manager";
import { startControllers } from "./redfish";
import { readScenario } from "./scenario/read";
import { scaleScenario } from "./scenario/scale";
import { startAgent } from "./snmp-agent";
import { makeSshServer } from "./ssh-server";
import { HostListeners } from "./tcp-listeners";
import { startWebhookReceiver } from "./webhook-receiver";

const { values } = parseArgs({
  options: {
    scenario: { type: "string" },
    control: { type: "string", default: "7071" },
    keys: { type: "string" },
    "demo-key": { type: "string" },
    anchor: { type: "string" },
    base: { type: "string" },
    machine: { type: "string" },
    pace: { type: "string", default: "1" },
    // Where the house's authority is kept; its certificate is written beside it, for those who trust it.
    authority: { type: "string" },
    scale: { type: "string" },
    otlp: { type: "string" },
    syslog: { type: "string" },
    traps: { type: "string" },
    // Files with what processes send with, with a code for agents, and with the tokens that agents have.
    "token-file": { type: "string" },
    "enrol-code-file": { type: "string" },
    "agent-tokens": { type: "string" },
  },
});

function stop(message: string): never {
  process.stderr.write(`${message}\n`);
  process.exit(2);
}

if (!values.scenario || !values["demo-key"] || !values.keys)
  stop("The stand-ins need --scenario, --keys and --demo-key.");

let json: unknown;
try {
  json = JSON.parse(readFileSync(values.scenario, "utf8"));
} catch (error) {
  stop(`The scenario ${values.scenario} cannot be read: ${error instanceof Error ? error.message : error}`);
}
const read = readScenario(json);
if (!read.ok)
  stop(
    `The scenario ${values.scenario} has ${read.problems.length} ${read.problems.length === 1 ? "problem" : "problems"}:\n${read.problems.map((one) => `  - ${one}`).join("\n")}`,
  );
const scenario = values.scale ? scaleScenario(read.scenario, Math.min(2000, Number(values.scale))) : read.scenario;

let clock: ClockSetting = {
  baseMs: Number(values.base ?? Date.now()),
  machineMs: Number(values.machine ?? Date.now()),
  pace: Number(values.pace),
};
const now = () => readClock(clock, Date.now());
const estate = new Estate(scenario, Number(values.anchor ?? now()));

/** Host keys stay the same from one start to the next, as those of real hosts do. */
function hostKeys(file: string): (name: string) => string {
  const known: Record<string, string> = existsSync(file) ? JSON.parse(readFileSync(file, "utf8")) : {};
  const before = Object.keys(known).length;
  for (const host of estate.hosts) known[host.name] ??= makeKeyPair().private;
  if (Object.keys(known).length !== before) writeFileSync(file, JSON.stringify(known), { mode: 0o600 });
  return (name) => known[name] as string;
}

const authority = new Authority(scenario.organisation, values.authority);
const keyOf = hostKeys(values.keys);
const demoKey = readFileSync(values["demo-key"], "utf8");
const listeners: Map<HostView, HostListeners> = new Map(
  estate.hosts.map((host) => {
    const server =
      host.role.system !== "hypervisor" || scenario.hypervisorSsh
        ? makeSshServer(estate, host, {
            hostKey: keyOf(host.name),
            demoKey,
            now,
            sleep: (ms) => new Promise((resolve) => setTimeout(resolve, machineSpanMs(clock, ms))),
            onEffect: (changed) =>
              void listeners
                .get(changed)
                ?.follow()
                .catch(() => undefined),
          })
        : undefined;
    return [host, new HostListeners(estate, host, now, server && { port: scenario.sshPort, server }, authority)];
  }),
);

async function followAll(): Promise<void> {
  for (const one of listeners.values()) await one.follow();
}

/** Follows what changed; a port that is not free yet is opened at the next look. */
const follow = () => followAll().catch(() => undefined);

try {
  for (const host of estate.hosts) await startAgent(host, scenario.snmpPort, now);
  await followAll();
  const { admin } = scenario;
  if (admin)
    for (const host of estate.hosts.filter((one) => one.role.system === "linux"))
      await new Promise<void>((resolve, reject) =>
        makeAdminDoor(estate, host, admin.token, now).once("error", reject).listen(admin.port, host.address, resolve),
      );
  await startClouds(estate, now);
  await startPrivateClouds(estate, now);
  await startManagers(estate, now);
  await startControllers(estate, now);
  await startClusters(estate, authority, now);
  if (values.authority) writeFileSync(`${values.authority}.pem`, await authority.certificate());
  const { names } = scenario;
  if (names) {
    const zones = zonesOf(scenario);
    await new Promise<void>((resolve, reject) =>
      makeNameServer(zones).once("error", reject).listen(names.port, names.address, resolve),
    );
  }
  const { tickets } = scenario;
  if (tickets)
    await new Promise<void>((resolve, reject) =>
      makeTicketServer(estate, tickets.key, now).once("error", reject).listen(tickets.port, tickets.address, resolve),
    );
  const [mailbox, calls] = [new Mailbox(now), new CallBox(now)];
  if (scenario.mail) {
    const { address, port, webhookPort, user, password } = scenario.mail;
    await startMailServer({ address, port, user, password }, authority, mailbox);
    await startWebhookReceiver({ address, port: webhookPort }, calls);
  }
  await startControl(estate, {
    mailbox,
    calls,
    port: Number(values.control),
    now,
    setClock: (setting) => {
      clock = setting;
      void follow();
    },
    onEffect: () => void follow(),
  });
} catch (error) {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === "EADDRINUSE")
    stop(
      `The stand-ins cannot listen: ${(error as NodeJS.ErrnoException & { address?: string; port?: number }).address}:${(error as { port?: number }).port} is in use. Another demo is probably running; stop it first.`,
    );
  throw error;
}

const fileText = (file: string | undefined) => (file === undefined ? undefined : readFileSync(file, "utf8").trim());
const token = fileText(values["token-file"]);
const code = fileText(values["enrol-code-file"]);
const agentTokens =
  values.otlp && code && values["agent-tokens"]
    ? new AgentTokens(values["agent-tokens"], values.otlp, code)
    : undefined;
const emitter = new Emitter(estate, now, {
  ...(token ? { token } : {}),
  ...(agentTokens ? { agentToken: agentTokens.of } : {}),
  ...(values.otlp ? { otlp: values.otlp } : {}),
  ...(values.syslog ? { syslogPort: Number(values.syslog) } : {}),
});
emitter.start();

const notifier = values.traps
  ? new Notifier(
      estate.hosts.filter((host) => host.role.system === "switch"),
      Number(values.traps),
      now,
    )
  : undefined;

// What runs changes by itself, and quickly at a high pace.
let following = false;
const pulse = setInterval(() => {
  notifier?.look();
  if (following) return;
  following = true;
  void follow().finally(() => (following = false));
}, 500);
process.send?.({ ready: true, hosts: estate.hosts.length });
process.stdout.write(`stand-ins ready: ${estate.hosts.length} hosts of ${scenario.name}\n`);

function leave(): void {
  clearInterval(pulse);
  emitter.close();
  for (const one of listeners.values()) one.close();
  process.exit(0);
}
process.on("SIGTERM", leave);
process.on("SIGINT", leave);
process.on("disconnect", leave);
