import { data } from "react-router";
import { z } from "zod";
import type { Route } from "./+types/who";
import { readForm } from "../shell/answers.server";
import { rememberWho } from "../shell/who.server";

const schema = z.object({
  name: z.string().trim().min(2, "Give a name of at least two letters.").max(60, "A name has at most 60 characters."),
});

export async function action({ request }: Route.ActionArgs) {
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  return data({ ok: true }, { headers: { "Set-Cookie": await rememberWho(form.value.name) } });
}
