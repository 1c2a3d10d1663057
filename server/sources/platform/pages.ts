import type { CompiledMapping, MappedCall } from "#core/platforms/mapping";
import { listOf, numberOf, textOf } from "#core/platforms/thing";
import type { InterfaceClient } from "./client";
import { PlatformFailure } from "./failure";

const MOST_PAGES = 5_000;
const MOST_ITEMS = 200_000;

/** Names in braces and what they stand for. */
export type Words = Readonly<Record<string, string>>;

/** Puts words in place of names in braces, written so that none can become more than one part of an address. */
export const fillPath = (text: string, words: Words): string =>
  text.replaceAll(/\{([a-z]+)\}/g, (whole, name: string) =>
    words[name] === undefined ? whole : encodeURIComponent(words[name]),
  );

const fillText = (text: string, words: Words): string =>
  text.replaceAll(/\{([a-z]+)\}/g, (whole, name: string) => words[name] ?? whole);

/** Within a body of JSON a word is part of a string. */
const fillBody = (text: string, words: Words): string =>
  text.replaceAll(/\{([a-z]+)\}/g, (whole, name: string) =>
    words[name] === undefined ? whole : JSON.stringify(words[name]).slice(1, -1),
  );

/** A call with its query, as it is asked. */
export function pathOf(call: MappedCall, words: Words, more: Readonly<Record<string, string>> = {}): string {
  const path = fillPath(call.path, words);
  const query = new URLSearchParams();
  for (const [name, text] of Object.entries(call.query)) query.set(name, fillText(text, words));
  for (const [name, text] of Object.entries(more)) query.set(name, text);
  const text = query.toString().replaceAll("+", "%20");
  return text === "" ? path : `${path}${path.includes("?") ? "&" : "?"}${text}`;
}

/**
 * All items of a call, page by page. An interface whose pages do not end, or come again, is given up with a sentence.
 */
export async function* pagesOf(
  client: InterfaceClient,
  mapping: CompiledMapping,
  call: MappedCall,
  words: Words,
): AsyncGenerator<unknown[]> {
  const { paging } = call;
  const body = call.method === "POST" && call.body !== undefined ? fillBody(call.body, words) : undefined;
  let more = firstOf(paging);
  let path: string | undefined;
  const met = new Set<string>();
  let items = 0;
  for (let page = 0; ; page++) {
    if (page >= MOST_PAGES) throw new PlatformFailure(`Its pages do not end: ${MOST_PAGES} were read.`);
    const asked = path ?? pathOf(call, words, more);
    if (met.has(asked)) throw new PlatformFailure("Its pages go round in a circle: the same one came again.");
    met.add(asked);
    const { json, nextPath } = await client.ask({ method: call.method, path: asked, body });
    const found = call.items === undefined ? listOf(json) : listOf(await mapping.of(call.items, json));
    items += found.length;
    if (items > MOST_ITEMS)
      throw new PlatformFailure(`It lists more than ${MOST_ITEMS.toLocaleString("en-GB")} items.`);
    if (found.length) yield found;
    switch (paging.by) {
      case "none":
        return;
      case "cursor": {
        const next = textOf(await mapping.of(paging.next, json), 4000);
        if (next === "" || next === "false") return;
        more = { [paging.as]: next };
        break;
      }
      case "link": {
        const next = paging.next === undefined ? nextPath : textOf(await mapping.of(paging.next, json), 4000);
        if (!next) return;
        path = paging.next === undefined ? next : await client.pathOf(next, asked);
        break;
      }
      case "offset":
        // Fewer than asked for may only mean that the other side gives no more at once.
        if (found.length === 0) return;
        if (paging.total !== undefined && items >= (numberOf(await mapping.of(paging.total, json)) ?? Infinity)) return;
        more = { [paging.as]: String(items), [paging.sizeAs]: String(paging.size) };
        break;
      case "page":
        if (found.length === 0) return;
        more = { [paging.as]: String(page + 1 + paging.first) };
    }
  }
}

function firstOf(paging: MappedCall["paging"]): Record<string, string> {
  if (paging.by === "offset") return { [paging.as]: "0", [paging.sizeAs]: String(paging.size) };
  return paging.by === "page" ? { [paging.as]: String(paging.first) } : {};
}
