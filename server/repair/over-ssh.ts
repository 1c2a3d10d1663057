import type { Place } from "#core/repair/steps/step";
import { openInTime, SshConnection, type CommandResult, type Upload } from "../outside/ssh";
import { hostKeyOf, trustHostKey } from "../store/host-keys";
import { reachOf } from "../vault/reach";
import { placeOf } from "./place";
import type { StepContext } from "./steps/taker";

/** Secrets shorter than this are not masked: they would stand in every other line. */
const LEAST_SECRET = 5;

/** Runs a command line where a step acts, with the first of its credentials that lets us in. */
export async function commandAt(
  {
    world,
    runbook,
    target,
    signal,
    print,
    keepSecret,
    lines,
  }: Pick<StepContext, "world" | "runbook" | "target" | "signal" | "print" | "keepSecret" | "lines">,
  place: Place,
  command: string,
  timeoutSeconds: number,
  upload?: Upload,
): Promise<CommandResult> {
  const { db, now, vault } = world;
  const where = placeOf(db, target, place, now());
  if ("problem" in where) return { exitCode: null, failure: where.problem };
  const reach = reachOf(db, where, now());
  if ("problem" in reach) return { exitCode: null, failure: reach.problem };
  const purpose = `“${runbook}” on ${where.name}`;
  let result: CommandResult = { exitCode: null };
  for (const credential of reach.credentials) {
    const { fields } = vault.use(credential, purpose);
    keepSecret(
      [fields.password, ...(fields.privateKey?.split("\n") ?? [])].filter((one) => (one?.length ?? 0) >= LEAST_SECRET),
    );
    const timeoutMs = world.machineMs(timeoutSeconds * 1000) + 3000;
    const key = `${reach.address}:${reach.port} ${credential.id}`;
    let line = lines?.get(key);
    if (!line?.alive) {
      const opened = await openInTime(
        {
          address: reach.address,
          port: reach.port,
          user: fields.user ?? "",
          ...(credential.kind === "ssh-key" ? { privateKey: fields.privateKey } : { password: fields.password }),
          // Asked anew each time: the host may have been met with the credential before.
          knownFingerprint: hostKeyOf(db, reach.address, reach.port)?.fingerprint,
          trust: (fingerprint) => trustHostKey(db, reach.address, reach.port, fingerprint, now()),
        },
        timeoutMs,
        signal,
        print,
      );
      if (!(opened instanceof SshConnection)) {
        result = opened;
        vault.note(credential.id, purpose, opened.refusedSignIn ? opened.failure : null);
        if (opened.refusedSignIn) continue;
        return result;
      }
      line = opened;
      lines?.set(key, line);
    }
    result = await line.run(command, timeoutMs, print, signal, upload);
    if (!lines) line.end();
    vault.note(credential.id, purpose, null);
    return result;
  }
  return result;
}

/** Connections that a run keeps until its end, by where they lead and with what. */
export type OpenLines = Map<string, SshConnection>;

export function closeLines(lines: OpenLines): void {
  for (const line of lines.values()) line.end();
  lines.clear();
}
