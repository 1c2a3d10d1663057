import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { checkedPortNames, kindOfPort, portName } from "#core/estate/ports";

// Source: IANA Service Name and Transport Protocol Port Number Registry, as Debian's netbase ships it.
const services = readFileSync(new URL("../fixtures/services-tcp.txt", import.meta.url), "utf8")
  .split("\n")
  .filter((line) => line && !line.startsWith("#"))
  .map((line) => line.split(/[ /]/) as [string, string, string]);

it("names every port as the registry does", () => {
  const registry = Object.fromEntries(services.map(([name, port]) => [port, name]));
  expect(Object.fromEntries(Object.entries(checkedPortNames).map(([port, name]) => [port, name]))).toEqual(registry);
});

it("takes the protocol of a port for its kind, and no kind from a port that serves anything", () => {
  expect(kindOfPort(5432)).toBe("db.relational");
  expect(kindOfPort(5672)).toBe("queue.broker");
  expect(kindOfPort(8080)).toBeUndefined();
  expect(portName(49_999)).toBeUndefined();
});
