import type { Route } from "./+types/halt";
import { act, formOf } from "../shell/answers.server";

/** Stops all automatic acts, from any page. */
export async function action({ request, context }: Route.ActionArgs) {
  await formOf(request);
  const done = await act(context, "repair.halt", { why: "" });
  return done.ok ? { ok: true as const } : done.refusal;
}
