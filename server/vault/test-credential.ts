import { destinationsCover } from "#core/estate/destinations";
import { fetchText } from "../outside/fetch-text";
import { runOverSsh } from "../outside/ssh";
import { readSystem } from "../sources/range/snmp";
import { snmpAccessOf } from "../sources/range/snmp-access";
import { PersonError } from "../store/database";
import { kindOfCredential, type Access } from "./kinds";

const SNMP_PORT = 161;
const SSH_PORT = 22;
const TIMEOUT_MS = 8_000;

/** What a device answered to a credential, in its own words. */
export interface TestAnswer {
  ok: boolean;
  line: string;
}

/**
 * Tries a credential where a person says: a host with or without a port for SNMP and SSH, an address of HTTP. It is used
 * nowhere but at its destinations. Throws a PersonError for other places.
 */
export async function testCredential(access: Access, at: string): Promise<TestAnswer> {
  const serves = kindOfCredential(access.kind)?.serves;
  const url = serves === "http" ? (URL.canParse(at) ? new URL(at) : undefined) : undefined;
  if (serves === "http" && (!url || !/^https?:$/.test(url.protocol)))
    throw new PersonError("Give an address that begins with http:// or https://.", { at: "Give a whole address." });
  const [host = "", port] = url ? [url.hostname] : at.split(":");
  if (!destinationsCover(access.destinations, host))
    throw new PersonError(`${host} is not among the destinations of this credential.`, {
      at: "This is not among its destinations.",
    });
  if (port !== undefined && !(Number(port) >= 1 && Number(port) <= 65_535))
    throw new PersonError(`“${port}” is not a port.`, { at: "Ports are from 1 to 65535." });
  try {
    if (serves === "snmp") return await trySnmp(access, host, Number(port ?? SNMP_PORT));
    if (serves === "ssh") return await trySsh(access, host, Number(port ?? SSH_PORT));
    const { status, text } = await fetchText(at, { timeoutMs: TIMEOUT_MS, mostBytes: 65_536 }, { access });
    const line = `It answered ${status}: “${text.trim().slice(0, 80)}”`;
    return { ok: status >= 200 && status < 400, line };
  } catch (error) {
    return { ok: false, line: error instanceof Error ? error.message : String(error) };
  }
}

async function trySnmp(access: Access, address: string, port: number): Promise<TestAnswer> {
  const system = await readSystem({ address, port, access: snmpAccessOf([access], address) }, 1500, 1);
  return { ok: true, line: `${system.sysName || "no name"}, “${system.sysDescr.slice(0, 120)}”` };
}

async function trySsh({ kind, fields }: Access, address: string, port: number): Promise<TestAnswer> {
  let said = "";
  let key = "";
  const result = await runOverSsh(
    {
      address,
      port,
      user: fields.user ?? "",
      ...(kind === "ssh-key" ? { privateKey: fields.privateKey } : { password: fields.password }),
      knownFingerprint: undefined,
      // A test trusts nobody: the key is only shown.
      trust: (fingerprint) => (key = fingerprint),
    },
    "uname -a",
    TIMEOUT_MS,
    (text) => (said += text.slice(0, 200 - said.length)),
    new AbortController().signal,
  );
  if (result.failure) return { ok: false, line: result.failure };
  return { ok: true, line: `Signed in as ${fields.user ?? ""}: “${said.trim()}”; host key ${key}` };
}
