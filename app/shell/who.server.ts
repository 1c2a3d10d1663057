import { createCookie } from "react-router";

const cookie = createCookie("who", { httpOnly: true, sameSite: "strict", path: "/", maxAge: 60 * 60 * 24 * 90 });

export const NOBODY = "Analyst on shift";

/** Name of the person at this browser, as given on the top bar. */
export async function whoIs(request: Request): Promise<string> {
  const value: unknown = await cookie.parse(request.headers.get("cookie"));
  return typeof value === "string" && value ? value : NOBODY;
}

export const rememberWho = (name: string) => cookie.serialize(name);
