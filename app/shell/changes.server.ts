import { z } from "zod";
import { windowOf } from "./window.server";

const schema = z.object({
  q: z.string().max(100).catch("").default(""),
  kind: z.string().max(40).catch("").default(""),
  standing: z.enum(["", "planned", "outside", "more", "none"]).catch("").default(""),
});

/** What the address of a list of changes asks for. */
export function changesAsked(request: Request, nowMs: number, most: number) {
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const { fromMs, toMs, atMs } = windowOf(request, nowMs);
  return {
    asked,
    question: { fromMs, toMs, atMs, text: asked.q, kind: asked.kind, standing: asked.standing, most },
  };
}
