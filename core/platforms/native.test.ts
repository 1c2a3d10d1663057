import { expect, it } from "vitest";
import { nativeParts } from "./native";
import { nativeKey } from "./observe";

it("a key of a platform's thing says its account and its own id, whatever stands in them", () => {
  const account = { platform: "Alto form", id: "hpa/44 71", name: "x" };
  expect(nativeParts(nativeKey(account, "firth", "stores", "hpa-4471/archive"))).toEqual({
    account: "hpa/44 71",
    id: "hpa-4471/archive",
  });
  expect(nativeParts("native:virtual/uuid/host/host")).toBeUndefined();
  expect(nativeParts("mac:02:00:00:00:00:01")).toBeUndefined();
  expect(nativeParts("native:a/%/b/c/d")).toBeUndefined();
});
