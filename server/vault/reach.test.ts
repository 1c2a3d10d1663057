import { beforeEach, describe, expect, it } from "vitest";
import { RIGHTS } from "#core/people/rights";
import { useStore } from "../../tests/store";
import type { CommandPorts } from "../commands/ports";
import { execute } from "../commands/registry";
import { accessPage } from "../pages/credentials";
import { itself } from "../people/principal";
import { insertCredential, setSourceCredentials } from "../store/credentials";
import type { Db } from "../store/database";
import { componentById, insertComponent, type ComponentRow } from "../store/estate";
import { trustHostKey } from "../store/host-keys";
import { insertSource } from "../store/sources";
import { reachOf } from "./reach";

let db: Db;
useStore((made) => (db = made));
const KEY = `SHA256:${"k".repeat(43)}`;
const ANNA = itself("Anna", "test", RIGHTS);
const ports = (hostKey = KEY) =>
  ({ db, now: () => 1000, emit: () => undefined, hostKeyAt: async () => hostKey }) as unknown as CommandPorts;
beforeEach(() => {
  db.exec(
    `DELETE FROM host_key; DELETE FROM component_key; DELETE FROM fact; DELETE FROM component; DELETE FROM source_credential;
     DELETE FROM source; DELETE FROM credential`,
  );
});

const credential = (name: string, kind: string, destinations: string) =>
  insertCredential(
    db,
    { name, kind, about: { user: "operator" }, destinations, sealed: "", madeBy: "x", isOwn: false },
    0,
  );
const source = (kind: string, ranges: string) =>
  insertSource(db, { kind, name: kind, site: "s", settings: { ranges, ports: "22", snmpPort: 161 } }, undefined, 0);
function host(
  name: string,
  sourceId: number | null,
  address: string | null,
  hostId: number | null = null,
): ComponentRow {
  const id = insertComponent(
    db,
    { kind: "host.linux", name, site: "s", sourceId, hostId, address, reason: "", keys: [`k:${name}`], facts: {} },
    0,
  );
  return componentById(db, id) as ComponentRow;
}
const why = (component: ComponentRow) => {
  const reach = reachOf(db, component, 1000);
  return "problem" in reach ? reach.problem : `${reach.why}: ${reach.credentials.map((one) => one.name).join(", ")}`;
};

describe("where commands may go", () => {
  it("is to hosts that a source found and has a credential for, and to what runs on them", () => {
    const range = source("range", "10.0.0.0/24");
    const found = host("h", range, "10.0.0.7");
    expect(why(found)).toContain("has no SSH credential for 10.0.0.7");
    setSourceCredentials(db, range, [
      credential("other", "ssh-key", "10.0.9.0/24"),
      credential("snmp", "snmp-community", "10.0.0.0/24"),
      credential("second", "ssh-password", "10.0.0.0/24"),
    ]);
    expect(why(found)).toBe("found by source range: second");
    expect(why(host("p", range, null, found.id))).toBe("found by source range: second");
  });
  it("is not to what senders claim, be it an address in the midst of a source's range", () => {
    const range = source("range", "10.0.0.0/24");
    setSourceCredentials(db, range, [credential("key", "ssh-key", "10.0.0.0/24")]);
    const agents = source("agent", "10.0.0.0/24");
    for (const planted of [host("a", agents, "10.0.0.66"), host("b", null, "10.0.0.67"), host("c", range, "10.9.9.9")])
      expect(why(planted)).toContain("was not found by a source of ours, only reported by senders");
  });
  it("a key that was only met vouches for nobody", () => {
    const planted = host("a", source("agent", ""), "10.0.0.66");
    trustHostKey(db, "10.0.0.66", 22, KEY, 0);
    expect(why(planted)).toContain("only reported by senders");
  });
});

describe("a person approves a host and its key", () => {
  it("as the host shows it, with a credential that is for its address", async () => {
    const planted = host("a", source("agent", ""), "10.0.0.66");
    const key = credential("key", "ssh-key", "10.0.0.66");
    const elsewhere = credential("elsewhere", "ssh-key", "10.0.9.0/24");
    const snmp = credential("snmp", "snmp-community", "10.0.0.66");
    const { id: componentId } = planted;
    const approve = (credentialId: number, fingerprint = KEY) =>
      execute(ports(), ANNA, "host.approve", { componentId, credentialId, fingerprint });
    await expect(approve(elsewhere)).rejects.toThrow("elsewhere is not for 10.0.0.66");
    await expect(approve(snmp)).rejects.toThrow("snmp is not for SSH");
    await expect(approve(key, "nonsense")).rejects.toThrow("Look the host key up first.");
    expect(await execute(ports(), ANNA, "host.look", { componentId })).toBe(KEY);
    await approve(key);
    expect(why(planted)).toBe("approved by Anna: key");
    expect(accessPage(db, { id: componentId, nowMs: 1000 })).toMatchObject({
      key: { fingerprint: KEY, approvedBy: "Anna" },
      reach: { why: "approved by Anna" },
    });
    await execute(ports(), ANNA, "host.forget", { componentId });
    expect(why(planted)).toContain("only reported by senders");
  });
  it("is not for those who may only run what is approved", async () => {
    const { id: componentId } = host("a", null, "10.0.0.66");
    const ben = itself("Ben", "test", ["read", "respond", "repair"]);
    await expect(execute(ports(), ben, "host.look", { componentId })).rejects.toThrow("does not have the right");
  });
});
