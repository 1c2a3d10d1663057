import { randomUUID } from "node:crypto";
import { createWriteStream } from "node:fs";
import { rm, statfs } from "node:fs/promises";
import { join } from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { data, type AppLoadContext } from "react-router";
import { whyNotMe } from "#core/people/rights";
import type { Route } from "./+types/spend-file";
import { act } from "../shell/answers.server";

const MOST_BYTES = 4 * 1024 ** 3;

class TooLong extends Error {}

/** Counts what really comes. */
async function* counted(body: ReadableStream<Uint8Array>): AsyncGenerator<Uint8Array> {
  let bytes = 0;
  for await (const part of body as unknown as AsyncIterable<Uint8Array>) {
    bytes += part.byteLength;
    if (bytes > MOST_BYTES) throw new TooLong();
    yield part;
  }
}

/** The store needs room too. */
const KEPT_FREE = 1024 ** 3;
const MOST_AT_ONCE = 2;
let underWay = 0;

const refused = (problem: string, status = 400) => data({ ok: false as const, problem }, { status });

/** Takes a file of costs as it is sent, and answers when all of it is safe, or nothing of it. */
export async function action({ request, context }: Route.ActionArgs) {
  if (!context.who) return refused("Sign in first.", 401);
  // Before anything of it is kept: the command would refuse it only when all of it lies on the disk.
  const reason = whyNotMe(context.who.rights, "configure");
  if (reason !== undefined) return refused(reason, 403);
  if (underWay >= MOST_AT_ONCE)
    return refused("Other files of costs are being sent. Send this one when they are done.");
  underWay++;
  try {
    return await take(request, context);
  } finally {
    underWay--;
  }
}

/** Has a file written to the disk and read; nothing of it stays there. */
async function take(request: Request, context: AppLoadContext) {
  const params = new URL(request.url).searchParams;
  if (!request.body) return refused("The file is empty.");
  const { bavail, bsize } = await statfs(context.uploads);
  if (Number(request.headers.get("content-length")) > bavail * bsize - KEPT_FREE)
    return refused("The disk of the server has no room for the file. Free some, and send it again.", 507);
  const upload = randomUUID();
  const path = join(context.uploads, upload);
  try {
    await pipeline(Readable.from(counted(request.body)), createWriteStream(path, { mode: 0o600 }));
  } catch (error) {
    await rm(path, { force: true });
    if (error instanceof TooLong)
      return refused("The file is over 4 GiB. Cut it into files of a month or an account each.", 413);
    if ((error as { code?: string }).code === "ENOSPC")
      return refused("The disk of the server has no room for the file. Free some, and send it again.", 507);
    return refused("The file did not arrive whole. Send it again.");
  }
  try {
    const taken = await act(context, "spend.take", {
      upload,
      name: params.get("name") || "file",
      replaces: params.get("replaces") !== "0",
    });
    return taken.ok ? { ok: true as const, taken: taken.value } : refused(taken.refusal.data.problem);
  } finally {
    await rm(path, { force: true });
  }
}
