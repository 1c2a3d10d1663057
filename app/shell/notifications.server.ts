import { z } from "zod";
import { DAY_MS } from "#core/time/windows";
import { windowOf } from "./window.server";

const schema = z.object({
  state: z.enum(["", "due", "held", "sent", "refused", "given up", "dropped"]).catch("").default(""),
  text: z.string().max(100).catch("").default(""),
});

/** Messages that an address asks for: of the window, a day at least. */
export function messagesAsked(request: Request, nowMs: number, limit: number) {
  const { searchParams } = new URL(request.url);
  const { fromMs, toMs } = windowOf(request, nowMs);
  return {
    ...schema.parse(Object.fromEntries(searchParams)),
    fromMs: Math.min(fromMs, toMs - DAY_MS),
    toMs,
    limit,
  };
}
