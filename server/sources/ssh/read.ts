import { destinationsCover } from "#core/estate/destinations";
import { sectionsOf, type Sections } from "#core/estate/linux";
import { runOverSsh } from "../../outside/ssh";
import type { Access } from "../../vault/kinds";
import type { HostKeys } from "../driver";

export interface SshPlace {
  address: string;
  port: number;
  access: readonly Access[];
  hostKeys: HostKeys;
}

/** A host that could not be read over SSH; the message is a reason for people. */
export class SshFailure extends Error {
  override name = "SshFailure";
}

/** No host prints more: a process table of 10,000 rows is about 2 MiB. */
const LOOKS = "docs/security.md shows it";
const MOST_BYTES = 8 * 1024 * 1024;

/** Runs a script on a host as the first user that it lets in, and parts what it printed. */
export async function readOverSsh(
  { address, port, access, hostKeys }: SshPlace,
  script: string,
  timeoutMs: number,
  signal: AbortSignal,
): Promise<Sections> {
  const ways = access.filter(
    (one) => (one.kind === "ssh-key" || one.kind === "ssh-password") && destinationsCover(one.destinations, address),
  );
  if (!ways.length) throw new SshFailure("No credential for SSH covers this address.");
  let failure = "";
  for (const { kind, fields } of ways) {
    const full = new AbortController();
    let output = "";
    const result = await runOverSsh(
      {
        address,
        port,
        user: fields.user ?? "",
        ...(kind === "ssh-key" ? { privateKey: fields.privateKey } : { password: fields.password }),
        knownFingerprint: hostKeys.known(address, port),
        trust: (fingerprint) => hostKeys.met(address, port, fingerprint),
      },
      script,
      timeoutMs,
      (text) => {
        if (output.length < MOST_BYTES) output += text;
        else full.abort();
      },
      AbortSignal.any([signal, full.signal]),
    );
    if (full.signal.aborted) throw new SshFailure("It printed more than 8 MiB, so it was not read further.");
    const sections = sectionsOf(output);
    if (sections.has("end")) return sections;
    failure =
      result.failure ??
      `It does not run the script that reads a Linux host (${LOOKS}): “${output.trim().slice(-80)}”. Leave it out of this source if it is none.`;
    if (!result.refusedSignIn) break;
  }
  throw new SshFailure(failure);
}
