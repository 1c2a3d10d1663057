import createCache from "@emotion/cache";

/** The style cache of the browser. On the server styles are written in place, so that pages can be streamed. */
export const makeStyleCache = () => createCache({ key: "css" });
