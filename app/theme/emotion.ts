import createCache from "@emotion/cache";

/**
 * The style cache of the browser, and of one page on the server: there each style is written in place, before the first
 * element that has it. Without a cache of the page's own it would be written again with every part of it.
 */
export const makeStyleCache = () => createCache({ key: "css" });
