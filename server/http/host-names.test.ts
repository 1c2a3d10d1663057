import { describe, expect, it } from "vitest";
import { HostNames, isReceiverName } from "./host-names";

describe("names of the pages", () => {
  it("of a machine that is reached from itself only are its loopback names", () => {
    const names = new HostNames("127.0.0.1", 7070, []);
    for (const host of ["127.0.0.1:7070", "localhost:7070", "LOCALHOST:7070", "[::1]:7070"])
      expect(names.isOurs(host)).toBe(true);
    for (const host of ["evil.example:7070", "127.0.0.1", "localhost:7071", "", undefined])
      expect(names.isOurs(host)).toBe(false);
  });
  it("of one that listens further are its address and what it is called, with and without the port", () => {
    const names = new HostNames("10.1.2.3", 7070, ["ops.example", "desk.example:8443"]);
    for (const host of ["10.1.2.3:7070", "ops.example", "ops.example:7070", "desk.example:8443"])
      expect(names.isOurs(host)).toBe(true);
    for (const host of ["localhost:7070", "ops.example:1", "desk.example", "ops.example.evil.example"])
      expect(names.isOurs(host)).toBe(false);
  });
  it("are none where every address is listened on and no name was given", () => {
    expect(new HostNames("0.0.0.0", 7070, []).isEmpty).toBe(true);
    expect(new HostNames("::", 7070, ["ops.example"]).isEmpty).toBe(false);
    expect(new HostNames("fd00::1", 7070, []).isOurs("[fd00::1]:7070")).toBe(true);
  });
  it("are what a change may come from", () => {
    const names = new HostNames("127.0.0.1", 7070, ["ops.example"]);
    for (const origin of [undefined, "http://127.0.0.1:7070", "https://ops.example"])
      expect(names.isOwnOrigin(origin)).toBe(true);
    for (const origin of ["null", "http://127.0.0.1:7071", "https://evil.example", "file://ops.example", "ops.example"])
      expect(names.isOwnOrigin(origin)).toBe(false);
  });
});

describe("names of the receivers", () => {
  const isOne = (host: string | undefined) => isReceiverName(host, "quay-01", ["ops.example:7070"]);
  it("are addresses, the machine's own name and those that were given", () => {
    for (const host of [
      "127.0.0.1:4318",
      "10.0.0.1:4318",
      "[::1]:4318",
      "localhost:4318",
      "quay-01:4318",
      "ops.example",
    ])
      expect(isOne(host)).toBe(true);
  });
  it("are no others: a page can point its own name here, but not make it one of ours", () => {
    for (const host of [
      "evil.example:4318",
      "evil-quay-01:4318",
      "localhost.evil.example",
      "quay-01.evil.example",
      "1.2.3.evil.example",
      undefined,
    ])
      expect(isOne(host)).toBe(false);
  });
});
