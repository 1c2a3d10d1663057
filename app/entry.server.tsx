import { CacheProvider } from "@emotion/react";
import { Writable } from "node:stream";
import { renderToPipeableStream } from "react-dom/server";
import { ServerRouter, type AppLoadContext, type EntryContext } from "react-router";
import { makeStyleCache } from "./theme/emotion";

const ABORT_MS = 8_000;

/** Draws the whole page before it is sent: loaders have answered by then, and one write is cheaper than thousands. */
export default function handleRequest(
  request: Request,
  status: number,
  headers: Headers,
  routerContext: EntryContext,
  loadContext: AppLoadContext,
): Promise<Response> {
  return new Promise((resolve, reject) => {
    const { pipe, abort } = renderToPipeableStream(
      <CacheProvider value={makeStyleCache()}>
        <ServerRouter context={routerContext} url={request.url} nonce={loadContext.nonce} />
      </CacheProvider>,
      {
        nonce: loadContext.nonce,
        onAllReady() {
          clearTimeout(late);
          const parts: Buffer[] = [];
          const whole = new Writable({
            write(part: Buffer, _encoding, done) {
              parts.push(part);
              done();
            },
            final(done) {
              headers.set("Content-Type", "text/html; charset=utf-8");
              headers.set("Cache-Control", "no-store");
              resolve(new Response(Buffer.concat(parts), { headers, status }));
              done();
            },
          });
          pipe(whole);
        },
        onShellError: reject,
        onError: reject,
      },
    );
    const late = setTimeout(() => abort(new Error("The page took too long to draw.")), ABORT_MS);
  });
}
