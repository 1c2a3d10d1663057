import { mkdirSync, writeFileSync } from "node:fs";
import { dirname } from "node:path";
import type { FullConfig } from "@playwright/test";
import { signIn } from "../../scripts/sign-in.mjs";

/** Signs in as the demonstration's operator and keeps the cookie where every test takes it from. */
export default async function signedIn(config: FullConfig): Promise<void> {
  const { baseURL, storageState } = config.projects[0]?.use ?? {};
  if (!baseURL || typeof storageState !== "string")
    throw new Error("The tests need an address and a place for cookies.");
  const [name = "", value = ""] = (await signIn(baseURL, "Edo Brandsma-Quill")).split("=");
  const { hostname } = new URL(baseURL);
  const cookie = { name, value, domain: hostname, path: "/", expires: -1, httpOnly: true, secure: false };
  mkdirSync(dirname(storageState), { recursive: true });
  writeFileSync(storageState, JSON.stringify({ cookies: [{ ...cookie, sameSite: "Strict" }], origins: [] }));
}
