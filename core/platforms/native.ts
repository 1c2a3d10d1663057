const HEAD = "native:";
/** What stands before a thing's own id: platform, account, region and list. */
const PLACES = 4;

/** Account and id within it that a key of a platform's thing says; undefined for keys of other things. */
/** List and id within it that a key of a platform's thing says: "deployments" and "rail/router". */
export function nativeListed(key: string): { list: string; id: string } | undefined {
  const parts = nativeParts(key);
  const list = key.slice(HEAD.length).split("/")[PLACES - 1];
  return parts && list ? { list, id: parts.id } : undefined;
}

export function nativeParts(key: string): { account: string; id: string } | undefined {
  if (!key.startsWith(HEAD)) return undefined;
  const parts = key.slice(HEAD.length).split("/");
  if (parts.length <= PLACES) return undefined;
  try {
    return { account: decodeURIComponent(parts[1] ?? ""), id: parts.slice(PLACES).join("/") };
  } catch {
    return undefined;
  }
}
