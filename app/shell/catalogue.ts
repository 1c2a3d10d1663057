import { extendCatalogue, type Extension } from "#core/catalogue/extend";

let taken = false;

/** Takes up what kits add to the catalogue: once where pages are drawn on the server, and once in each browser. */
export function takeCatalogue(extension: Extension): void {
  if (taken) return;
  taken = true;
  extendCatalogue(extension);
}
