import Button from "@mui/material/Button";
import { redirect } from "react-router";
import type { CommandInput } from "#server/commands/registry";
import type { Route } from "./+types/setup.telling-rule";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing, refuse } from "../shell/answers.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { TellingRuleForm } from "../ui/telling/TellingRuleForm";

export const meta: Route.MetaFunction = () => [{ title: "Notification rule · Holotaxis" }];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "notification rule"));

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("tellingRule", { id: idOf(params.id) });
  if (!page) throw missing("notification rule", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const id = idOf(params.id);
  if (form.get("intent") === "remove" && id !== null) {
    const removed = await act(context, "telling.remove", { id });
    return removed.ok ? redirect("/setup/notifications") : removed.refusal;
  }
  let rule: object;
  try {
    rule = JSON.parse(String(form.get("rule"))) as object;
  } catch {
    return refuse("The form was not sent whole. Load the page again.");
  }
  if (form.get("intent") === "try")
    return { ok: true as const, tried: await context.ask("tellingTried", { rule, nowMs: context.now() }) };
  const saved = await act(context, "telling.save", {
    ...rule,
    ...(id === null ? {} : { id }),
  } as CommandInput<"telling.save">);
  return saved.ok ? redirect("/setup/notifications") : saved.refusal;
}

export default function TellingRulePage({ loaderData, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const refusal = answer && "problem" in answer ? answer : undefined;
  return (
    <>
      <PageHead
        name="Setup › Notifications"
        sentence={loaderData.rule ? `${loaderData.rule.name}: who is told, of what, when.` : "A new notification rule."}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Section title="Rule">
        <TellingRuleForm
          key={loaderData.rule?.id ?? 0}
          page={loaderData}
          refusal={refusal}
          tried={answer && "tried" in answer ? answer.tried : undefined}
        />
      </Section>
      <Button href="/setup/notifications">All notification rules</Button>
    </>
  );
}
