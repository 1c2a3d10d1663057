/** Where a page leads that takes signing in; the address one wanted comes along, inside the application only. */
export function signInAddress(url: string | undefined): string {
  const wanted = (url ?? "/").replace(/\.data(?=\?|$)/, "").replace(/^\/_root(?=\?|$)/, "/");
  return wanted === "/" || !isInside(wanted) ? "/sign-in" : `/sign-in?to=${encodeURIComponent(wanted)}`;
}

/** Whether an address stays inside: browsers take two slashes, or a slash and a backslash, for another place. */
export const isInside = (address: string): boolean => /^\/(?![/\\])/.test(address) && !/[\p{Cc}\\]/u.test(address);

/** Where to go after signing in. */
export const wantedAddress = (given: string | null): string => (given !== null && isInside(given) ? given : "/");
