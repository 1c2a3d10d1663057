import Button from "@mui/material/Button";
import { redirect } from "react-router";
import { z } from "zod";
import { MOMENT_IDS } from "#core/telling/rule";
import type { Route } from "./+types/setup.message";
import { useAnswer } from "../shell/answer";
import { act, formOf, missing, readForm } from "../shell/answers.server";
import { PageHead, Problem } from "../ui/Page";
import { TemplateForm } from "../ui/telling/TemplateForm";

export const meta: Route.MetaFunction = () => [{ title: "Message template · Holotaxis" }];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("template", { moment: params.moment ?? "", nowMs: context.now() });
  if (!page) throw missing("message template", params.moment);
  return page;
}

const text = (most: number) => z.string().max(most).default("");
const schema = z.object({
  intent: z.enum(["preview", "save", "reset", "test"]),
  subject: text(2_000),
  plain: text(60_000),
  rich: text(60_000),
  headers: text(4_000),
  incident: z.string().default(""),
});

export async function action({ request, params, context }: Route.ActionArgs) {
  const moment = z.enum([...MOMENT_IDS, "digest", "shift"]).parse(params.moment);
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { intent, incident, ...template } = form.value;
  if (intent === "preview")
    return {
      ok: true as const,
      preview: await context.ask("templatePreview", {
        moment,
        template,
        incidentId: incident === "" ? null : Number(incident),
        to: context.who?.name ?? "",
        nowMs: context.now(),
        root: context.root,
        origin: new URL(request.url).origin,
      }),
    };
  if (intent === "test") {
    const incidentId = incident === "" ? null : Number(incident);
    const tried = await act(context, "template.test", { moment, ...template, incidentId });
    return tried.ok ? { ok: true as const, tried: tried.value } : tried.refusal;
  }
  const done =
    intent === "reset"
      ? await act(context, "template.reset", { moment })
      : await act(context, "template.save", { moment, ...template });
  return done.ok ? redirect("/setup/messages") : done.refusal;
}

export default function Message({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const refusal = answer && "problem" in answer ? answer : undefined;
  return (
    <>
      <PageHead name="Setup › Message templates" sentence={`${page.label}: what is sent when ${page.words}.`} />
      <Problem>{refusal?.problem ?? null}</Problem>
      <TemplateForm
        key={page.id}
        page={page}
        refusal={refusal}
        tried={answer && "tried" in answer ? answer.tried : undefined}
      />
      <Button href="/setup/messages">All message templates</Button>
    </>
  );
}
