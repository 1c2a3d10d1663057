// Sources: RFC 1157 (SNMP v1), RFC 3414 (user-based security), RFC 3826 (AES-128), RFC 7860 (SHA-2 for its users). The peer is the
// agent of the net-snmp package, which implements them.
import snmp from "net-snmp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readSystem } from "#server/sources/range/snmp";
import { SnmpFailure } from "#server/sources/range/snmp-session";
import { v2c, type SnmpAccess } from "#server/sources/range/snmp-access";

const PORT = 11_196;
const ADDRESS = "127.0.0.1";
const user = (more: Partial<Extract<SnmpAccess, { version: "3" }>> = {}): SnmpAccess => ({
  version: "3",
  user: "watcher",
  authentication: "sha256",
  authenticationKey: "grey heron slipway",
  privacy: "aes",
  privacyKey: "wet rope and salt",
  ...more,
});
let agent: { close(): void };

beforeAll(() => {
  const made = snmp.createAgent({ port: PORT, address: ADDRESS, transport: "udp4" }, () => undefined);
  const authorizer = made.getAuthorizer();
  authorizer.addCommunity("test-room");
  authorizer.addUser({
    name: "watcher",
    level: snmp.SecurityLevel.authPriv,
    authProtocol: snmp.AuthProtocols.sha256,
    authKey: "grey heron slipway",
    privProtocol: snmp.PrivProtocols.aes,
    privKey: "wet rope and salt",
  });
  const mib = made.getMib();
  const scalar = (oid: string, name: string, value: string) => {
    mib.registerProvider({
      name,
      type: snmp.MibProviderType.Scalar,
      oid,
      scalarType: snmp.ObjectType.OctetString,
      maxAccess: snmp.MaxAccess["read-only"],
    } as never);
    mib.setScalarValue(name, value);
  };
  scalar("1.3.6.1.2.1.1.1", "sysDescr", "a box of another make");
  scalar("1.3.6.1.2.1.1.5", "sysName", "box-1");
  agent = made as unknown as { close(): void };
});
afterAll(() => agent.close());

const read = (...access: SnmpAccess[]) => readSystem({ address: ADDRESS, port: PORT, access }, 400, 0);

describe("the versions of SNMP", () => {
  it.each([
    ["v1", { version: "1", community: "test-room" } as SnmpAccess],
    ["v2c", v2c("test-room")],
    ["v3 with SHA-256 and AES", user()],
  ])("%s", async (_name, access) => {
    expect(await read(access)).toMatchObject({ sysName: "box-1", sysDescr: "a box of another make" });
  });
  it("does not get in with a wrong password, a wrong user, or less than is asked for", async () => {
    for (const wrong of [
      user({ authenticationKey: "grey heron slipwaX" }),
      user({ privacyKey: "dry rope and salt" }),
      user({ user: "nobody" }),
      user({ privacy: "none" }),
      user({ authentication: "none", privacy: "none" }),
    ])
      await expect(read(wrong)).rejects.toThrow(SnmpFailure);
  });
  it("tries several in order, until one is answered", async () => {
    expect(await read(v2c("wrong"), user({ user: "nobody" }), user())).toMatchObject({ sysName: "box-1" });
  });
  it("says so where there is nothing to ask with", async () => {
    await expect(read()).rejects.toThrow("There is no credential to ask with.");
  });
});
