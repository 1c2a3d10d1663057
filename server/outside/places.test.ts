import { describe, expect, it } from "vitest";
import { fetchText } from "./fetch-text";
import { isLinkLocal } from "./places";

describe("link-local addresses", () => {
  it.each([
    "169.254.169.254",
    "169.254.0.1",
    "fe80::1",
    "[fe80::1]",
    "febf::1",
    "::ffff:169.254.169.254",
    "::ffff:a9fe:a9fe",
  ])("%s is one", (address) => expect(isLinkLocal(address)).toBe(true));
  it.each([
    "127.0.0.1",
    "10.0.0.1",
    "169.253.0.1",
    "::1",
    "fec0::1",
    "fd00::1",
    "2001:db8::1",
    "::ffff:10.0.0.1",
    "name",
  ])("%s is none", (address) => expect(isLinkLocal(address)).toBe(false));
  it("are recognised however they are written", async () => {
    for (const url of [
      "http://169.254.169.254/",
      "http://2852039166/",
      "http://0xa9fea9fe/x",
      "http://[::ffff:169.254.1.1]/",
    ])
      await expect(fetchText(url, { timeoutMs: 500, mostBytes: 10 }), url).rejects.toThrow(/never asked/);
  });
  it("are not asked by any call to the outside", async () => {
    await expect(fetchText("http://169.254.169.254/", { timeoutMs: 500, mostBytes: 10 })).rejects.toThrow(
      /never asked/,
    );
  });
});
