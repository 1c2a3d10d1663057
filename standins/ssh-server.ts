import { parse as splitWords } from "shell-quote";
import ssh2, { type Connection, type ServerChannel } from "ssh2";
import type { EstateModel, HostModel } from "./model";

export interface SshOptions {
  hostKey: string;
  /** Public key, in OpenSSH's one-line form, that is let in. */
  demoKey: string;
  now: () => number;
  /** Waits a span of the estate's time. */
  sleep: (ms: number) => Promise<void>;
  /** Called after a command changed what runs. */
  onEffect: (host: HostModel) => void;
}

/**
 * An SSH server for one pretended host, not listening yet. It knows the handful of commands that runbooks use and
 * their effects.
 */
export function makeSshServer(estate: EstateModel, host: HostModel, options: SshOptions): ssh2.Server {
  const allowed = ssh2.utils.parseKey(options.demoKey);
  if (allowed instanceof Error) throw allowed;
  const key = Array.isArray(allowed) ? allowed[0] : allowed;
  if (!key) throw new Error("The demo key cannot be read.");
  const server = new ssh2.Server({ hostKeys: [options.hostKey], ident: "standin" }, (client: Connection) => {
    client.on("error", () => undefined);
    client.on("authentication", (context) => {
      if (
        context.method !== "publickey" ||
        context.username !== "operator" ||
        context.key.algo !== key.type ||
        !context.key.data.equals(key.getPublicSSH())
      ) {
        context.reject(["publickey"]);
        return;
      }
      if (context.signature && key.verify(context.blob as Buffer, context.signature, context.hashAlgo) !== true) {
        context.reject(["publickey"]);
        return;
      }
      context.accept();
    });
    client.on("ready", () => {
      client.on("session", (accept) => {
        const session = accept();
        session.on("exec", (acceptExec, _reject, info) => {
          const channel = acceptExec();
          runCommand(estate, host, info.command, channel, options)
            .catch(() => 1)
            .then((code) => {
              channel.exit(code);
              channel.end();
            });
        });
      });
    });
  });
  return server;
}

async function runCommand(
  estate: EstateModel,
  host: HostModel,
  line: string,
  channel: ServerChannel,
  options: SshOptions,
): Promise<number> {
  const parsed = splitWords(line);
  const say = (text: string) => channel.write(`${text}\n`);
  const complain = (text: string) => channel.stderr.write(`${text}\n`);
  if (parsed.some((word) => typeof word !== "string")) {
    complain("sh: only plain words are understood here");
    return 2;
  }
  const words = parsed as string[];
  const [command, ...rest] = words;
  const now = options.now();
  switch (command) {
    case "service":
      return runService(host, rest, say, complain, options);
    case "ps": {
      const rows = host.software(now).sort((a, b) => b.memoryBytes - a.memoryBytes);
      say("    PID     RSS COMMAND");
      for (const row of rows.slice(0, 15))
        say(`${String(row.pid).padStart(7)} ${String(Math.round(row.memoryBytes / 1024)).padStart(7)} ${row.name}`);
      return 0;
    }
    case "df": {
      say("Filesystem     1024-blocks      Used Available Capacity Mounted on");
      for (const row of host.poll(now).storage.filter((one) => one.type === "disk")) {
        const share = Math.round((row.usedBytes / row.sizeBytes) * 100);
        say(
          `/dev/vda1 ${Math.round(row.sizeBytes / 1024)} ${Math.round(row.usedBytes / 1024)} ${Math.round((row.sizeBytes - row.usedBytes) / 1024)} ${share}% ${row.label}`,
        );
      }
      return 0;
    }
    case "uptime": {
      const poll = host.poll(now);
      say(
        `up ${Math.floor((now - host.upSinceMs(now)) / 86_400_000)} days, load average: ${(poll.processorLoads.reduce((sum, load) => sum + load, 0) / 100 || 0).toFixed(2)}`,
      );
      return 0;
    }
    case "logrotate": {
      const mount = rest.at(-1) ?? "/";
      say(`rotating logs on ${mount}`);
      await options.sleep(2000);
      say(host.tidy(mount, options.now()) ? "old logs compressed and removed" : "nothing to rotate");
      return 0;
    }
    case "echo":
      say(rest.join(" "));
      return 0;
    case "true":
      return 0;
    default:
      complain(`sh: ${command ?? ""}: not found`);
      return 127;
  }
}

/** `service NAME status|stop|start|restart`, after the init script actions of the Linux Standard Base. */
async function runService(
  host: HostModel,
  words: string[],
  say: (text: string) => void,
  complain: (text: string) => void,
  options: SshOptions,
): Promise<number> {
  const [name = "", action = ""] = words;
  const process = host.process(name);
  if (!process) {
    complain(`service: ${name}: unrecognized service`);
    return 4;
  }
  const pid = () => host.software(options.now()).find((row) => row.name === name)?.pid;
  switch (action) {
    case "status": {
      const running = pid();
      say(running ? `${name} is running (pid ${running})` : `${name} is stopped`);
      return running ? 0 : 3;
    }
    case "restart":
      say(`Stopping ${name} (pid ${pid() ?? "none"})`);
      await options.sleep(1500);
      host.restart(name, options.now());
      options.onEffect(host);
      say(`Starting ${name}`);
      await options.sleep(3500);
      options.onEffect(host);
      say(`${name} is running (pid ${pid() ?? "none"})`);
      return pid() ? 0 : 1;
    default:
      complain(`service: ${action}: action not understood; use status or restart`);
      return 2;
  }
}
