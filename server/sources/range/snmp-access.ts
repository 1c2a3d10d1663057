import { destinationsCover } from "#core/estate/destinations";
import snmp, { type Session } from "net-snmp";
import type { Access } from "../../vault/kinds";

/** How an agent is spoken to: by community (RFC 1157, RFC 3584) or as a user (RFC 3414). */
export type SnmpAccess =
  | { version: "1" | "2c"; community: string; id?: number }
  | {
      version: "3";
      user: string;
      authentication: string;
      authenticationKey: string;
      privacy: string;
      privacyKey: string;
      id?: number;
    };

export const v2c = (community: string): SnmpAccess => ({ version: "2c", community });

/** What of a source's credentials SNMP can use at an address, in their order. */
export const snmpAccessOf = (credentials: readonly Access[], address: string): SnmpAccess[] =>
  credentials.flatMap(({ id, kind, fields, destinations }): SnmpAccess[] => {
    if (!destinationsCover(destinations, address)) return [];
    const field = (name: string) => fields[name] ?? "";
    if (kind === "snmp-community")
      return [{ version: field("version") === "1" ? "1" : "2c", community: field("community"), id }];
    if (kind !== "snmp-user") return [];
    return [
      {
        version: "3",
        user: field("user"),
        authentication: field("authentication"),
        authenticationKey: field("authenticationKey"),
        privacy: field("privacy"),
        privacyKey: field("privacyKey"),
        id,
      },
    ];
  });

const AUTHENTICATION: Readonly<Record<string, snmp.AuthProtocols>> = {
  md5: snmp.AuthProtocols.md5,
  sha: snmp.AuthProtocols.sha,
  sha256: snmp.AuthProtocols.sha256,
  sha512: snmp.AuthProtocols.sha512,
};
const PRIVACY: Readonly<Record<string, snmp.PrivProtocols>> = {
  des: snmp.PrivProtocols.des,
  aes: snmp.PrivProtocols.aes,
};

/** Opens a conversation with an agent in one of these ways. */
export function openSession(
  address: string,
  port: number,
  access: SnmpAccess,
  timeoutMs: number,
  retries: number,
): Session {
  const options = {
    port,
    timeout: timeoutMs,
    retries,
    transport: address.includes(":") ? ("udp6" as const) : ("udp4" as const),
    // A foreign machine's reply to somebody else's question is not taken for an answer.
    idBitsSize: 32 as const,
  };
  if (access.version !== "3")
    return snmp.createSession(address, access.community, {
      ...options,
      version: access.version === "1" ? snmp.Version1 : snmp.Version2c,
    });
  const authProtocol = AUTHENTICATION[access.authentication];
  const privProtocol = authProtocol === undefined ? undefined : PRIVACY[access.privacy];
  return snmp.createV3Session(
    address,
    {
      name: access.user,
      level:
        privProtocol !== undefined
          ? snmp.SecurityLevel.authPriv
          : authProtocol !== undefined
            ? snmp.SecurityLevel.authNoPriv
            : snmp.SecurityLevel.noAuthNoPriv,
      ...(authProtocol === undefined ? {} : { authProtocol, authKey: access.authenticationKey }),
      ...(privProtocol === undefined ? {} : { privProtocol, privKey: access.privacyKey }),
    },
    { ...options, version: snmp.Version3, context: "" },
  );
}

const MOST_REMEMBERED = 50_000;
/** Which of several ways an agent answered last, so that it is tried first. */
const worked = new Map<string, string>();

const nameOf = (access: SnmpAccess) => JSON.stringify(access);

/** The ways to speak to an agent, the one that worked last first. */
export function inOrder(address: string, port: number, ways: readonly SnmpAccess[]): readonly SnmpAccess[] {
  if (ways.length < 2) return ways;
  const last = worked.get(`${address}:${port}`);
  const first = ways.find((access) => nameOf(access) === last);
  return first ? [first, ...ways.filter((access) => access !== first)] : ways;
}

/** Credentials that agents answered to since they were last asked for, with the place of the last answer. */
let answered = new Map<number, string>();

export function noteAnswer(access: SnmpAccess, address: string): void {
  if (access.id) answered.set(access.id, address);
}

export function takeAnswered(): Map<number, string> {
  const taken = answered;
  answered = new Map();
  return taken;
}

export function rememberWay(address: string, port: number, access: SnmpAccess): void {
  if (worked.size >= MOST_REMEMBERED) worked.clear();
  worked.set(`${address}:${port}`, nameOf(access));
}
