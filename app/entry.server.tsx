import { PassThrough } from "node:stream";
import { createReadableStreamFromReadable } from "@react-router/node";
import { isbot } from "isbot";
import { renderToPipeableStream, type RenderToPipeableStreamOptions } from "react-dom/server";
import { ServerRouter, type AppLoadContext, type EntryContext } from "react-router";

const ABORT_MS = 8_000;

export default function handleRequest(request: Request, status: number, headers: Headers, routerContext: EntryContext, loadContext: AppLoadContext): Promise<Response> {
  return new Promise((resolve, reject) => {
    let started = false;
    const readyOn: keyof RenderToPipeableStreamOptions = isbot(request.headers.get("user-agent") ?? "") || routerContext.isSpaMode ? "onAllReady" : "onShellReady";
    const { pipe, abort } = renderToPipeableStream(<ServerRouter context={routerContext} url={request.url} nonce={loadContext.nonce} />, {
      nonce: loadContext.nonce,
      [readyOn]() {
        started = true;
        const body = new PassThrough();
        headers.set("Content-Type", "text/html; charset=utf-8");
        headers.set("Cache-Control", "no-store");
        resolve(new Response(createReadableStreamFromReadable(body), { headers, status }));
        pipe(body);
      },
      onShellError: reject,
      onError(error) {
        if (started) process.stderr.write(`A page broke off while it was drawn: ${error instanceof Error ? error.stack : error}\n`);
      },
    });
    setTimeout(abort, ABORT_MS).unref();
  });
}
