import Stack from "@mui/material/Stack";
import { redirect } from "react-router";
import { DAY_MS, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/setup.rule";
import { useAnswer } from "../shell/answer";
import { act, idFrom, missing, refuse, formOf } from "../shell/answers.server";
import { windowOf } from "../shell/window.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { RuleForm } from "../ui/RuleForm";
import { RulePreview } from "../ui/RulePreview";

export const meta: Route.MetaFunction = () => [{ title: "Rule · Holotaxis" }];

/** A rule is tried on so much of the past. */
const PREVIEWED_MS = 14 * DAY_MS;

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { searchParams } = new URL(request.url);
  const type = searchParams.get("detector") ?? "threshold";
  const copied = Number(searchParams.get("copy"));
  const page = await context.ask("rule", {
    id: params.id === "new" ? null : idFrom(params.id, "rule"),
    type,
    copy: Number.isInteger(copied) && copied > 0 ? copied : null,
    given: Object.fromEntries([...searchParams].map(([name, value]) => [name, value.slice(0, 200)])),
  });
  if (!page) throw missing("rule", params.id);
  const scope = searchParams.get("scope") ?? page.copied?.scope;
  return { ...page, wanted: page.scopes.find((one) => one.value === scope)?.value ?? null };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request));
  if (intent === "preview") {
    const { toMs } = windowOf(request, context.now());
    const fromMs = toMs - PREVIEWED_MS;
    const preview = await context.ask("rulePreview", { fields, fromMs, toMs });
    if (!preview.ok)
      return refuse(Object.values(preview.fields)[0] ?? "Something in the rule is not right.", preview.fields);
    return { preview, over: spokenDuration(toMs - fromMs) };
  }
  const id = params.id === "new" ? {} : { id: idFrom(params.id, "rule") };
  const saved = await act(context, "rule.save", { ...id, fields });
  return saved.ok ? redirect("/setup/rules") : saved.refusal;
}

export default function Rule({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const answer = actionData && "problem" in actionData ? actionData : undefined;
  const preview = actionData && "preview" in actionData ? actionData : undefined;
  return (
    <>
      <PageHead
        name="Setup › Rule"
        sentence={
          page.rule
            ? `“${page.rule.name}” is ${page.rule.enabled ? "on" : "off"}.`
            : "A new rule: say what it applies to and when it raises an alarm."
        }
      />
      <Problem>{answer?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title={page.detector.label}>
          <RuleForm key={page.rule?.id ?? page.detector.type} page={page} answer={answer} wanted={page.wanted} />
        </Section>
        {preview ? <RulePreview preview={preview.preview} over={preview.over} /> : null}
      </Stack>
    </>
  );
}
