import { createHash } from "node:crypto";
import ssh2 from "ssh2";

export interface SshTarget {
  address: string;
  port: number;
  user: string;
  /** One of both. */
  privateKey?: string | undefined;
  password?: string | undefined;
  /** Fingerprint met before, if any; a different one is refused. */
  knownFingerprint: string | undefined;
  /** Called with the fingerprint of a host met for the first time. */
  trust: (fingerprint: string) => void;
}

export interface CommandResult {
  exitCode: number | null;
  /** Set when the command did not come to an end by itself. */
  failure?: string;
  /** The host did not let this user in; another credential may. */
  refusedSignIn?: boolean;
}

/** RFC 4253 host key as `SHA256:` and base64 without padding, the usual way of writing it. */
export const fingerprintOf = (key: Buffer) =>
  `SHA256:${createHash("sha256").update(key).digest("base64").replace(/=+$/, "")}`;

/**
 * Runs one command line over SSH and streams what it prints. Never throws for what the far side does: the result says
 * what went wrong in a sentence. Aborting or running out of time ends the connection.
 */
export function runOverSsh(
  target: SshTarget,
  commandLine: string,
  timeoutMs: number,
  onOutput: (text: string) => void,
  signal: AbortSignal,
): Promise<CommandResult> {
  return new Promise((resolve) => {
    const client = new ssh2.Client();
    let settled = false;
    let refusedKey: string | undefined;
    const finish = (result: CommandResult) => {
      if (settled) return;
      settled = true;
      clearTimeout(timer);
      signal.removeEventListener("abort", aborted);
      client.end();
      resolve(result);
    };
    const aborted = () => finish({ exitCode: null, failure: "Stopped by hand." });
    const timer = setTimeout(
      () =>
        finish({
          exitCode: null,
          failure: `No end after ${Math.round(timeoutMs / 1000)} s, so the connection was closed.`,
        }),
      timeoutMs,
    );
    signal.addEventListener("abort", aborted);
    if (signal.aborted) return aborted();
    client.on("ready", () => {
      client.exec(commandLine, (error, channel) => {
        if (error) return finish({ exitCode: null, failure: `The host refused the command: ${error.message}.` });
        channel.on("data", (part: Buffer) => onOutput(part.toString("utf8")));
        channel.stderr.on("data", (part: Buffer) => onOutput(part.toString("utf8")));
        channel.on("close", (code: number | null) =>
          finish({
            exitCode: code ?? null,
            ...(code === null || code === undefined
              ? { failure: "The host closed the connection before the command ended." }
              : {}),
          }),
        );
      });
    });
    client.on("error", (error: Error & { level?: string }) => {
      if (refusedKey)
        return finish({
          exitCode: null,
          failure: `The host key of ${target.address}:${target.port} is not the one met before (now ${refusedKey}). If the host was rebuilt, look at its page under “Access” and forget the old key; otherwise somebody may be in between.`,
        });
      const refusedSignIn = error.level === "client-authentication";
      const reason = refusedSignIn
        ? `The host does not let “${target.user}” in with this ${target.password === undefined ? "key. Put its public key into authorized_keys there" : "password"}.`
        : `No SSH connection to ${target.address}:${target.port}: ${error.message}.`;
      finish({ exitCode: null, failure: reason, refusedSignIn });
    });
    client.on("close", () => finish({ exitCode: null, failure: "The host closed the connection." }));
    client.connect({
      host: target.address,
      port: target.port,
      username: target.user,
      ...(target.privateKey === undefined ? {} : { privateKey: target.privateKey }),
      ...(target.password === undefined ? {} : { password: target.password }),
      readyTimeout: Math.min(timeoutMs, 10_000),
      hostVerifier: (key: Buffer) => {
        const fingerprint = fingerprintOf(key);
        if (target.knownFingerprint && target.knownFingerprint !== fingerprint) {
          refusedKey = fingerprint;
          return false;
        }
        if (!target.knownFingerprint) target.trust(fingerprint);
        return true;
      },
    });
  });
}

/** Asks a host for its key, without signing in. Throws an Error with a reason for people. */
export function readHostKey(address: string, port: number, timeoutMs: number): Promise<string> {
  return new Promise((resolve, reject) => {
    const client = new ssh2.Client();
    let fingerprint: string | undefined;
    const end = () => {
      clearTimeout(timer);
      client.end();
      if (fingerprint !== undefined) resolve(fingerprint);
      else reject(new Error(`No SSH server answers at ${address}:${port}.`));
    };
    const timer = setTimeout(end, timeoutMs);
    client.on("error", end);
    client.on("close", end);
    client.connect({
      host: address,
      port,
      username: "holotaxis",
      readyTimeout: timeoutMs,
      // The key is all that is wanted: the conversation ends here.
      hostVerifier: (key: Buffer) => {
        fingerprint = fingerprintOf(key);
        return false;
      },
    });
  });
}
