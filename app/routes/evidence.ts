import { z } from "zod";
import type { Route } from "./+types/evidence";
import { act, readForm, formOf } from "../shell/answers.server";

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
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  switch (value.intent) {
    case "pin": {
      const { kind, title, detail, address, fromMs, toMs } = value;
      const incidentId = value.incidentId === "" ? null : value.incidentId;
      const input = { incidentId, kind, title, detail, address, fromMs, toMs };
      const done = await act(context, "evidence.pin", input);
      if (!done.ok) return done.refusal;
      return said(incidentId === null ? "Pinned to the evidence tray." : `Pinned to incident ${incidentId}.`);
    }
    case "attach": {
      const done = await act(context, "evidence.attach", { incidentId: value.incidentId });
      return done.ok ? said(`${done.value} attached to incident ${value.incidentId}.`) : done.refusal;
    }
    case "remove": {
      const done = await act(context, "evidence.remove", { id: value.id });
      return done.ok ? said("Removed.") : done.refusal;
    }
  }
}

const said = (text: string) => ({ ok: true as const, said: text });
