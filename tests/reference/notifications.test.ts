import { createSocket } from "node:dgram";
import { MessageChannel } from "node:worker_threads";
import snmp from "net-snmp";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { asNotification, readNotification } from "#core/telemetry/notifications";
import { IngestChannel } from "#server/receivers/channel";
import type { Batch } from "#server/receivers/batch";
import { TrapReceiver } from "#server/receivers/traps";

const LINK_DOWN = "1.3.6.1.6.3.1.1.5.3";

// Source: RFC 3416 §4.2.6 (the first two bindings), RFC 2863 (linkDown and its objects), RFC 3418 (snmpTraps).
describe("notifications read", () => {
  it("linkDown with its objects", () =>
    expect(
      readNotification([
        { oid: "1.3.6.1.2.1.1.3.0", value: "100" },
        { oid: "1.3.6.1.6.3.1.1.4.1.0", value: LINK_DOWN },
        { oid: "1.3.6.1.2.1.2.2.1.1.3", value: "3" },
        { oid: "1.3.6.1.2.1.2.2.1.7.3", value: "1" },
        { oid: "1.3.6.1.2.1.2.2.1.8.3", value: "2" },
      ]),
    ).toEqual({
      oid: LINK_DOWN,
      name: "linkDown",
      severity: 13,
      text: "linkDown: ifIndex 3, ifAdminStatus up, ifOperStatus down",
      attributes: [
        ["ifIndex", "3"],
        ["ifAdminStatus", "up"],
        ["ifOperStatus", "down"],
      ],
    }));
  it("one that no MIB here names keeps its object id", () =>
    expect(readNotification([{ oid: "1.3.6.1.6.3.1.1.4.1.0", value: ".1.3.6.1.4.1.32473.0.7" }])).toMatchObject({
      name: "1.3.6.1.4.1.32473.0.7",
      text: "1.3.6.1.4.1.32473.0.7",
    }));
  it("nothing where it does not say what it is", () => expect(readNotification([])).toBeUndefined());
  // Source: RFC 3584 §3.1, items (2) and (3).
  it.each([
    [{ generic: 0, specific: 0 }, "1.3.6.1.6.3.1.1.5.1"],
    [{ generic: 4, specific: 9 }, "1.3.6.1.6.3.1.1.5.5"],
    [{ generic: 6, specific: 17 }, "1.3.6.1.4.1.32473.1.0.17"],
  ])("a trap of v1, %o, is %s", (trap, oid) =>
    expect(
      readNotification(asNotification({ enterprise: "1.3.6.1.4.1.32473.1", agentAddress: "192.0.2.1", ...trap }, []))
        ?.oid,
    ).toBe(oid),
  );
});

describe("notifications received", () => {
  let receiver: TrapReceiver;
  let channel: IngestChannel;
  let port: number;
  let ports: MessageChannel;
  const batches: Batch[] = [];
  const faults: unknown[] = [];
  beforeEach(async () => {
    ports = new MessageChannel();
    batches.length = 0;
    ports.port1.on("message", (message: { kind: string; id: number; batch: Batch }) => {
      if (message.kind !== "batch") return;
      batches.push(message.batch);
      ports.port1.postMessage({ kind: "kept", id: message.id, refused: [], rejected: 0 });
    });
    channel = new IngestChannel(
      ports.port2,
      () => 1000,
      (error) => faults.push(error),
    );
    receiver = new TrapReceiver(channel, () => 1000);
    port = await receiver.listen("127.0.0.1", 0);
  });
  afterEach(async () => {
    await receiver.close();
    ports.port1.close();
    expect(faults.splice(0)).toEqual([]);
  });
  const bodies = () => batches.flatMap((batch) => batch.logs.map((record) => record.body));
  const OBJECTS = [
    { oid: "1.3.6.1.2.1.2.2.1.1.3", type: snmp.ObjectType.Integer, value: 3 },
    { oid: "1.3.6.1.2.1.2.2.1.2.3", type: snmp.ObjectType.OctetString, value: "Gi0/3" },
  ];
  const session = (version: 0 | 1) =>
    snmp.createSession("127.0.0.1", "anything", { trapPort: port, version, retries: 1, timeout: 1000 });

  it("v2c, without and with acknowledgement", async () => {
    const sender = session(snmp.Version2c);
    sender.trap(LINK_DOWN, OBJECTS, () => undefined);
    const acknowledged = await new Promise((done) =>
      sender.inform(LINK_DOWN, OBJECTS, (error: unknown) => done(error)),
    );
    expect(acknowledged).toBeNull();
    await expect.poll(() => bodies().length).toBe(2);
    expect(bodies()[0]).toBe("linkDown: ifIndex 3, ifDescr Gi0/3");
    expect(channel.figures.traps).toBe(2);
    sender.close();
  });
  it("v1", async () => {
    const sender = session(snmp.Version1);
    sender.trap(snmp.TrapType.ColdStart, () => undefined);
    await expect.poll(() => bodies()).toEqual([expect.stringContaining("coldStart")]);
    sender.close();
  });
  it("v3 of a user that is known, and not of another", async () => {
    const user = {
      user: "watcher",
      authentication: "sha256",
      authenticationKey: "pass-1-pass-1",
      privacy: "aes",
      privacyKey: "pass-2-pass-2",
    };
    receiver.allow([user]);
    const as = (key: string) =>
      snmp.createV3Session(
        "127.0.0.1",
        {
          name: "watcher",
          level: snmp.SecurityLevel.authPriv,
          authProtocol: snmp.AuthProtocols.sha256,
          authKey: key,
          privProtocol: snmp.PrivProtocols.aes,
          privKey: user.privacyKey,
        },
        { trapPort: port, retries: 0, timeout: 500 } as never,
      );
    const known = as(user.authenticationKey);
    known.trap(LINK_DOWN, OBJECTS, () => undefined);
    await expect.poll(() => bodies()).toEqual(["linkDown: ifIndex 3, ifDescr Gi0/3"]);
    const stranger = as("another-key-1");
    stranger.trap(LINK_DOWN, OBJECTS, () => undefined);
    await expect.poll(() => channel.figures.trapsOdd).toBe(1);
    expect(bodies()).toHaveLength(1);
    known.close();
    stranger.close();
  });
  it("rubbish is counted, and what comes after it is taken", async () => {
    const socket = createSocket("udp4");
    for (const bytes of [[0], [0x30, 0xff], [0x30, 0x82, 0xff, 0xff, 1], Array(1400).fill(0x30)])
      socket.send(Buffer.from(bytes as number[]), port, "127.0.0.1");
    await expect.poll(() => channel.figures.trapsOdd).toBe(4);
    const sender = session(snmp.Version2c);
    sender.trap(LINK_DOWN, OBJECTS, () => undefined);
    await expect.poll(() => bodies().length).toBe(1);
    socket.close();
    sender.close();
  });
});
