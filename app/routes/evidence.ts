import { z } from "zod";
import type { Route } from "./+types/evidence";
import { attempt, readForm } from "../shell/answers.server";
import { whoIs } from "../shell/who.server";

const id = z.coerce.number().int().min(1, "Choose an incident.");
const schema = z.discriminatedUnion("intent", [
  z.object({
    intent: z.literal("pin"),
    kind: z.enum(["chart", "map"]),
    title: z.string().min(1).max(160),
    detail: z.string().max(300),
    // Only addresses inside the application.
    address: z
      .string()
      .regex(/^\/(?!\/)/)
      .max(600),
    fromMs: z.coerce.number().int(),
    toMs: z.coerce.number().int(),
    incidentId: z.union([z.literal(""), id]),
  }),
  z.object({ intent: z.literal("attach"), incidentId: id }),
  z.object({ intent: z.literal("remove"), id }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  const by = await whoIs(request);
  const { value } = form;
  const done = await attempt(async () => {
    switch (value.intent) {
      case "pin": {
        const incidentId = value.incidentId === "" ? null : value.incidentId;
        await context.tell("pin", {
          incident_id: incidentId,
          kind: value.kind,
          title: value.title,
          address: value.address,
          detail: value.detail,
          from_at: value.fromMs,
          to_at: value.toMs,
          pinned_by: by,
        });
        return incidentId === null ? "Pinned to the evidence tray." : `Pinned into incident ${incidentId}.`;
      }
      case "attach":
        return `${await context.tell("attachPins", value.incidentId, by)} attached to incident ${value.incidentId}.`;
      case "remove":
        await context.tell("unpin", value.id);
        return "Taken out.";
    }
  });
  return done.ok ? { ok: true as const, said: done.value } : done.refusal;
}
