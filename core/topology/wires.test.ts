import { expect, it } from "vitest";
import { isSamePort } from "./wires";

it("tells ports of a switch apart however they are written", () => {
  expect(isSamePort("port 9", "Port9")).toBe(true);
  expect(isSamePort("Gi 1/0/2", "gi1/0/2")).toBe(true);
  expect(isSamePort("port 1", "port 11")).toBe(false);
  expect(isSamePort("Gi1/0/2", "Gi10/2")).toBe(false);
  expect(isSamePort("", "")).toBe(false);
  expect(isSamePort(" ", "-")).toBe(false);
});
