import { createCookie } from "react-router";
import type { Principal } from "#server/commands/command";

const cookie = createCookie("who", { httpOnly: true, sameSite: "strict", path: "/", maxAge: 60 * 60 * 24 * 90 });

export const NOBODY = "Analyst on shift";

/** Name of the person at this browser, as given on the top bar. */
export async function whoIs(request: Request): Promise<string> {
  const value: unknown = await cookie.parse(request.headers.get("cookie"));
  return typeof value === "string" && value ? value : NOBODY;
}

export const rememberWho = (name: string) => cookie.serialize(name);

/** Who sends a request. Everybody who reaches the pages has every right until people sign in. */
export async function principalOf(request: Request): Promise<Principal> {
  return { name: await whoIs(request), via: "browser", rights: ["operate", "repair", "configure"] };
}
