import { describe, expect, it } from "vitest";
import { kindOfSystem, recognise } from "./recognise";
import { FingerprintBook, fingerprintSchema } from "./fingerprints";
import type { AddressSighting, SystemSighting } from "./sighting";

/** Knows the common Linux agent by its object id, and Linux by its description. */
const BOOK = new FingerprintBook({
  linux: fingerprintSchema.parse({
    product: "Linux",
    kind: "host.linux",
    clues: [
      { on: "object-id", pattern: "^1\\.3\\.6\\.1\\.4\\.1\\.8072\\.3\\.2\\.10(?:\\.|$)" },
      { on: "description", pattern: "Linux" },
    ],
    lines: [],
  }),
  proxy: fingerprintSchema.parse({
    product: "Halyard",
    kind: "app.proxy",
    clues: [{ on: "process", pattern: "^halyard$" }],
    lines: [],
  }),
});
const look = (changes: Partial<AddressSighting> = {}) => recognise(sighting(changes), BOOK);

const system = (changes: Partial<SystemSighting> = {}): SystemSighting => ({
  sysDescr: "Linux box 6.1",
  sysObjectId: "1.3.6.1.4.1.8072.3.2.10",
  sysName: "box.halvane.example",
  sysLocation: "North",
  sysContact: "",
  sysServices: 72,
  processors: 4,
  interfaces: [],
  storage: [{ index: 1, label: "Physical memory", type: "ram", unitBytes: 4096, sizeUnits: 1000, usedUnits: 10 }],
  software: [
    { pid: 10, name: "slotkeeper", path: "/opt/slotkeeper", parameters: "" },
    { pid: 11, name: "quaystore", path: "/opt/quaystore", parameters: "--data /srv" },
    { pid: 12, name: "sshd", path: "/usr/sbin/sshd", parameters: "" },
    { pid: 13, name: "batch", path: "/opt/batch", parameters: "" },
    { pid: 14, name: "idle", path: "/opt/idle", parameters: "" },
  ],
  listeners: [
    { address: "0.0.0.0", port: 2222, pid: 12 },
    { address: "127.20.1.5", port: 8081, pid: 10 },
    { address: "127.20.1.5", port: 5432, pid: 11 },
  ],
  connections: [
    { localAddress: "127.20.1.5", localPort: 40_000, remoteAddress: "127.20.1.6", remotePort: 5432, pid: 13 },
  ],
  neighbours: [],
  ...changes,
});
const sighting = (changes: Partial<AddressSighting> = {}): AddressSighting => ({
  address: "127.20.1.5",
  open: [
    { port: 2222, banner: "SSH-2.0-x" },
    { port: 8081, http: { status: 200, server: "slotkeeper/4.2" } },
    { port: 5432 },
  ],
  failures: [],
  ...changes,
});

describe("the kind of a system", () => {
  it.each([
    [{ sysObjectId: "1.3.6.1.4.1.8072.3.2.10", sysServices: 72, sysDescr: "" }, "host.linux"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.1", sysServices: 2, sysDescr: "" }, "net.switch"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.1", sysServices: 4, sysDescr: "" }, "net.router"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.9", sysServices: 72, sysDescr: "Linux 6" }, "host.linux"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.9", sysServices: 76, sysDescr: "thing" }, "host.unknown"],
    // A prefix counts only at a dot.
    [{ sysObjectId: "1.3.6.1.4.1.8072.3.2.101", sysServices: 64, sysDescr: "thing" }, "host.unknown"],
  ])("of %o is %s", (given, kind) => expect(kindOfSystem(given, BOOK).kind).toBe(kind));
});

describe("recognising what was seen at an address", () => {
  it("names the host by its system name and keeps the address as a second key", () => {
    const found = look({ system: system() });
    expect(found?.host).toMatchObject({
      kind: { is: "host.linux" },
      name: "box",
      keys: [
        { value: "name:box.halvane.example", strength: 2 },
        { value: "addr:127.20.1.5", strength: 1 },
      ],
      facts: { "ssh port": "2222", processors: "4", "memory bytes": "4096000" },
    });
  });
  it("makes components of processes that listen or connect, not of housekeeping or idle ones", () => {
    const found = look({ system: system() });
    expect(found?.parts.map((part) => [part.name, part.kind.is])).toEqual([
      ["slotkeeper @ box", "app.process"],
      ["quaystore @ box", "db.relational"],
      ["batch @ box", "app.process"],
    ]);
    expect(found?.parts[0]?.facts).toMatchObject({ product: "slotkeeper", version: "4.2" });
  });
  it("takes a page with a title for a web front", () => {
    const found = look({
      system: system(),
      open: [{ port: 8081, http: { status: 200, server: "slotkeeper/4.2", title: "Slots" } }],
    });
    expect(found?.parts[0]?.kind.is).toBe("app.web");
  });
  it("tells a program that listens and says nothing from one that says what it is", () => {
    const said = (open: AddressSighting["open"]) => look({ system: system(), open })?.parts[0];
    const title = { port: 8081, http: { status: 200, title: "Slots" } };
    expect(said([title])).toMatchObject({ kind: { is: "app.web" } });
    expect(said([title])?.isSilent).toBeUndefined();
    // It accepts and keeps silent, or is listed and was not reached: less sure than what was known before.
    for (const open of [[{ port: 8081 }], []])
      expect(said(open)).toMatchObject({ isSilent: true, kind: { is: "app.process", confidence: 0.4 } });
  });
  it("keeps open ports as endpoints where SNMP tells nothing", () => {
    const found = look();
    expect(found?.host).toMatchObject({ kind: { is: "host.unknown" }, name: "127.20.1.5" });
    expect(found?.parts.map((part) => [part.kind.is, part.keys[0]?.value])).toEqual([
      ["app.endpoint", "listen:addr:127.20.1.5:8081"],
      ["db.relational", "listen:addr:127.20.1.5:5432"],
    ]);
  });
  it("keeps listeners of which the agent does not tell whose they are, by port and by what they say", () => {
    const found = look({
      system: system({
        software: [],
        listeners: [
          { address: "0.0.0.0", port: 5432, pid: 0 },
          { address: "0.0.0.0", port: 2222, pid: 0 },
          { address: "127.0.0.1", port: 9000, pid: 0 },
        ],
      }),
    });
    expect(found?.host.partsListed).toBe(true);
    expect(found?.parts.map((part) => [part.name, part.kind.is, part.depth])).toEqual([
      ["postgresql @ box", "db.relational", 1],
      ["port 127.0.0.1:9000 @ box", "app.endpoint", 1],
      // Answers, though the agent does not list it.
      ["slotkeeper @ box", "app.endpoint", 0],
    ]);
    expect(found?.parts[0]?.keys.map((key) => key.value)).toEqual([
      "listen:name:box.halvane.example:5432",
      "listen:addr:127.20.1.5:5432",
    ]);
  });
  it("does not take an agent that shows its system group only for one that told all", () =>
    expect(look({ system: system({ software: [], listeners: [], connections: [] }) })?.host.partsListed).toBe(false));
  it("names a proxy by what runs, not by what answers behind it", () => {
    const found = look({
      system: system({
        software: [{ pid: 10, name: "halyard", path: "/usr/sbin/halyard", parameters: "" }],
        listeners: [{ address: "0.0.0.0", port: 8081, pid: 10 }],
      }),
    });
    expect(found?.parts[0]).toMatchObject({
      kind: { is: "app.proxy" },
      facts: { product: "Halyard", "answers as": "slotkeeper/4.2" },
    });
    expect(found?.parts[0]?.facts.version).toBeUndefined();
  });
  it("tells a certificate with its end", () => {
    const tls = {
      protocol: "TLSv1.3",
      subject: "box",
      issuer: "House CA",
      names: ["box.example", "192.0.2.1"],
      validFromMs: 0,
      validToMs: Date.UTC(2026, 11, 24),
      fingerprint: "aa",
    };
    expect(look({ open: [{ port: 8443, tls }] })?.parts[0]?.facts).toMatchObject({
      "certificate for": "box.example, 192.0.2.1",
      "certificate issuer": "House CA",
      "certificate expires": "2026-12-24",
      "TLS ports": "8443",
      "TLS protocol": "TLSv1.3",
    });
  });
  it("recognises nothing where nothing answered", () => expect(look({ open: [] })).toBeUndefined());
});
