import { z } from "zod";
import { DAY_MS } from "#core/time/windows";
import { INCIDENT_ORDERS, INCIDENT_STATES } from "./incident-lists";
import { windowOf } from "./window.server";

/** A list of incidents reaches back two weeks from the end of the window, whatever its width. */
const REACH_MS = 14 * DAY_MS;

const schema = z.object({
  state: z.enum(INCIDENT_STATES).catch("all").default("all"),
  q: z.string().max(100).catch("").default(""),
  with: z.string().max(80).catch("").default(""),
  service: z.coerce.number().int().min(1).nullable().catch(null).default(null),
  order: z.enum(INCIDENT_ORDERS).catch("newest").default("newest"),
});

/** Which incidents an address asks for. */
export function incidentsAsked(request: Request, nowMs: number) {
  const window = windowOf(request, nowMs);
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const fromMs = Math.min(window.fromMs, window.atMs - REACH_MS);
  return {
    asked,
    fromMs,
    question: {
      fromMs,
      toMs: window.atMs,
      state: asked.state,
      text: asked.q,
      person: asked.with,
      service: asked.service,
      order: asked.order,
    },
  };
}
