import { describe, expect, it } from "vitest";
import { nameResource, type NamingBook } from "./naming";

const book: NamingBook = {
  rules: [{ attribute: "service.name", pattern: "legacy-*", componentId: 9 }],
  known: {
    name: new Map([
      ["nq-gate-web-01", 1],
      ["gatefront @ nq-gate-web-01", 2],
      ["pod-7", 3],
    ]),
    container: new Map([["c".repeat(64), 9]]),
    address: new Map([["127.20.1.2", 4]]),
  },
};

describe("naming a sender", () => {
  it.each([
    ["by a person's rule before all else", { "service.name": "legacy-billing", "host.name": "nq-gate-web-01" }, 9],
    ["to the process on its host", { "service.name": "gatefront", "host.name": "nq-gate-web-01.halvane.example" }, 2],
    ["to the host when the process is not known", { "service.name": "sidecar", "host.name": "NQ-GATE-WEB-01" }, 1],
    ["to a container", { "container.name": "pod-7" }, 3],
    ["by its address", { "source.address": "127.20.1.2" }, 4],
    ["by one of several addresses", { "host.ip": '["10.0.0.1","127.20.1.2"]' }, 4],
    ["to nobody", { "service.name": "unheard-of" }, null],
  ] as const)("%s", (_what, attributes, expected) => {
    expect(nameResource(attributes, book).componentId).toBe(expected);
  });

  it("says why", () => {
    expect(nameResource({ "service.name": "gatefront", "host.name": "nq-gate-web-01" }, book).why).toBe(
      "service.name gatefront on host.name nq-gate-web-01",
    );
    expect(nameResource({ "host.name": "x" }, book).why).toBe("no component is known as host.name x");
    expect(nameResource({}, book).why).toBe("it has neither host.name nor service.name");
  });
});
