import { parse as splitWords } from "shell-quote";
import ssh2, { type Connection, type ServerChannel } from "ssh2";
import { runCommand } from "./repairs";
import type { Estate } from "./seen/estate";
import type { HostView } from "./seen/host-view";
import { printSections, sectionsAsked } from "./seen/shell";
import { printVirtual } from "./seen/virtual-shell";

export interface SshOptions {
  hostKey: string;
  /** Public key, in OpenSSH's one-line form, that is let in. */
  demoKey: string;
  now: () => number;
  /** Waits a span of the estate's time. */
  sleep: (ms: number) => Promise<void>;
  /** Called after a command changed what runs. */
  onEffect: (host: HostView) => void;
}

/**
 * An SSH server for one pretended host, not listening yet. It knows the handful of commands that runbooks use and
 * their effects.
 */
export function makeSshServer(estate: Estate, host: HostView, options: SshOptions): ssh2.Server {
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
          exec(estate, host, info.command, channel, options)
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

async function exec(
  estate: Estate,
  host: HostView,
  line: string,
  channel: ServerChannel,
  { now, sleep, onEffect }: SshOptions,
): Promise<number> {
  const asked = sectionsAsked(line);
  if (asked.length > 1 && host.role.system === "linux") {
    channel.write(printSections(host, asked, now()));
    return 0;
  }
  if (asked.includes("machines") && host.role.system === "hypervisor") {
    channel.write(printVirtual(host, asked, now()));
    return 0;
  }
  const words = splitWords(line);
  const complain = (text: string) => void channel.stderr.write(`${text}\n`);
  if (words.some((word) => typeof word !== "string")) {
    complain("sh: only plain words are understood here");
    return 2;
  }
  const say = (text: string) => void channel.write(`${text}\n`);
  return runCommand(words as string[], { estate, host, now, sleep, onEffect, say, complain });
}
