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
  /** No connection came about, for a reason that may be over the next moment: nothing has been done there. */
  notReached?: boolean;
}

/** A file that is put on the host before the command, and removed after it. */
export interface Upload {
  path: string;
  content: Buffer;
  /** Of the content, in hexadecimal: the file is read back and compared before it is run. */
  sha256: string;
}

/** RFC 4253 host key as `SHA256:` and base64 without padding, the usual way of writing it. */
export const fingerprintOf = (key: Buffer) =>
  `SHA256:${createHash("sha256").update(key).digest("base64").replace(/=+$/, "")}`;

/** Between two tries of a connection, and how much time there has to be for another; and the most of them. */
const PAUSE_MS = 500;
const LEAST_MS = 1000;
const MOST_TRIES = 3;

/** How a connection could not be made. */
type NotOpened = CommandResult & { failure: string };

/** A connection to one host, over which commands are carried out one after another. */
export class SshConnection {
  private isOpen = true;

  private constructor(private readonly client: ssh2.Client) {
    client.on("close", () => (this.isOpen = false));
    client.on("error", () => (this.isOpen = false));
  }

  get alive(): boolean {
    return this.isOpen;
  }

  end(): void {
    this.isOpen = false;
    this.client.end();
  }

  /** Signs in. Never throws for what the far side does: the result says what went wrong in a sentence. */
  static open(target: SshTarget, timeoutMs: number, signal: AbortSignal): Promise<SshConnection | NotOpened> {
    return new Promise((resolve) => {
      const client = new ssh2.Client();
      let refusedKey: string | undefined;
      const finish = (result: SshConnection | NotOpened) => {
        clearTimeout(timer);
        signal.removeEventListener("abort", aborted);
        if (!(result instanceof SshConnection)) client.end();
        resolve(result);
      };
      const failed = (failure: string, more: Partial<CommandResult> = {}) =>
        finish({ exitCode: null, failure, ...more });
      const aborted = () => failed("Stopped by hand.");
      const timer = setTimeout(() => failed(noEnd(timeoutMs)), timeoutMs);
      signal.addEventListener("abort", aborted);
      if (signal.aborted) return aborted();
      client.on("ready", () => finish(new SshConnection(client)));
      client.on("error", (error: Error & { level?: string }) => {
        if (refusedKey)
          return failed(
            `The host key of ${target.address}:${target.port} is not the one met before (now ${refusedKey}). If the host was rebuilt, look at its page under “Access” and forget the old key; otherwise somebody may be in between.`,
          );
        const refusedSignIn = error.level === "client-authentication";
        const reason = refusedSignIn
          ? `The host does not let “${target.user}” in with this ${target.password === undefined ? "key. Put its public key into authorized_keys there" : "password"}.`
          : `No SSH connection to ${target.address}:${target.port}: ${error.message}.`;
        failed(reason, { refusedSignIn, notReached: !refusedSignIn });
      });
      client.on("close", () => failed("The host closed the connection.", { notReached: true }));
      client.connect({
        host: target.address,
        port: target.port,
        username: target.user,
        ...(target.privateKey === undefined ? {} : { privateKey: target.privateKey }),
        ...(target.password === undefined ? {} : { password: target.password }),
        // Whoever has time for it tries once more.
        readyTimeout: Math.min(Math.max(timeoutMs / 2, 3000), timeoutMs, 10_000),
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

  /**
   * Runs one command line and streams what it prints. Never throws for what the far side does: the result says what went
   * wrong in a sentence. Aborting or running out of time ends the connection.
   */
  run(
    commandLine: string,
    timeoutMs: number,
    onOutput: (text: string) => void,
    signal: AbortSignal,
    upload?: Upload,
  ): Promise<CommandResult> {
    return new Promise((resolve) => {
      let settled = false;
      const finish = (result: CommandResult) => {
        if (settled) return;
        settled = true;
        clearTimeout(timer);
        signal.removeEventListener("abort", aborted);
        this.client.removeListener("close", closed);
        resolve(result);
      };
      const cut = (failure: string) => {
        finish({ exitCode: null, failure });
        this.end();
      };
      const aborted = () => cut("Stopped by hand.");
      const closed = () =>
        finish({ exitCode: null, failure: "The host closed the connection before the command ended." });
      const timer = setTimeout(() => cut(noEnd(timeoutMs)), timeoutMs);
      signal.addEventListener("abort", aborted);
      this.client.on("close", closed);
      if (signal.aborted) return aborted();
      const run = (done: (result: CommandResult) => void) =>
        this.client.exec(commandLine, (error, channel) => {
          if (error) return done({ exitCode: null, failure: `The host refused the command: ${error.message}.` });
          channel.on("data", (part: Buffer) => onOutput(part.toString("utf8")));
          channel.stderr.on("data", (part: Buffer) => onOutput(part.toString("utf8")));
          channel.on("close", (code: number | null) =>
            done({
              exitCode: code ?? null,
              ...(code === null || code === undefined
                ? { failure: "The host closed the connection before the command ended." }
                : {}),
            }),
          );
        });
      if (upload) withUpload(this.client, upload, run, finish);
      else run(finish);
    });
  }
}

const noEnd = (timeoutMs: number) => `No end after ${Math.round(timeoutMs / 1000)} s, so the connection was closed.`;

/**
 * A connection, tried again while there is time: a host in need answers late. Nothing has been done there yet, so that
 * nothing is done twice.
 */
export async function openInTime(
  target: SshTarget,
  timeoutMs: number,
  signal: AbortSignal,
  print: (text: string) => void,
): Promise<SshConnection | NotOpened> {
  const endsAt = performance.now() + timeoutMs;
  for (let tries = 1; ; tries++) {
    const left = endsAt - performance.now();
    const opened = await SshConnection.open(target, left, signal);
    if (opened instanceof SshConnection || !opened.notReached || signal.aborted) return opened;
    if (tries >= MOST_TRIES || endsAt - performance.now() < PAUSE_MS + LEAST_MS) return opened;
    print(`${opened.failure} Trying again.\n`);
    await new Promise((done) => setTimeout(done, PAUSE_MS));
  }
}

/** Runs one command line over a connection of its own. */
export async function runOverSsh(
  target: SshTarget,
  commandLine: string,
  timeoutMs: number,
  onOutput: (text: string) => void,
  signal: AbortSignal,
  upload?: Upload,
): Promise<CommandResult> {
  const opened = await SshConnection.open(target, timeoutMs, signal);
  if (!(opened instanceof SshConnection)) return opened;
  try {
    return await opened.run(commandLine, timeoutMs, onOutput, signal, upload);
  } finally {
    opened.end();
  }
}

/** Puts a file on the host, reads it back, runs something and removes the file again. */
function withUpload(
  client: ssh2.Client,
  { path, content, sha256 }: Upload,
  run: (done: (result: CommandResult) => void) => void,
  finish: (result: CommandResult) => void,
): void {
  const failed = (what: string, error: Error) => finish({ exitCode: null, failure: `${what}: ${error.message}.` });
  client.sftp((refused, sftp) => {
    if (refused) return failed("The host takes no files over SFTP", refused);
    const clean = (result: CommandResult) =>
      sftp.unlink(path, (left) =>
        finish(
          left ? { ...result, failure: result.failure ?? `The script is left at ${path}: ${left.message}.` } : result,
        ),
      );
    sftp.writeFile(path, content, { mode: 0o700, flag: "wx" }, (wrong) => {
      if (wrong) return failed(`The script could not be put at ${path}`, wrong);
      sftp.readFile(path, (unread, back) => {
        if (unread) return clean({ exitCode: null, failure: `The script could not be read back: ${unread.message}.` });
        if (createHash("sha256").update(back).digest("hex") !== sha256)
          return clean({ exitCode: null, failure: "The script is not what was uploaded, so it was not run." });
        run(clean);
      });
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
