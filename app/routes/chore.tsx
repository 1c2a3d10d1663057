import Stack from "@mui/material/Stack";
import { Form, redirect } from "react-router";
import { triggerWords } from "#core/repair/triggers/registry";
import { dayAndTime } from "#core/time/windows";
import type { CommandInput } from "#server/commands/registry";
import type { Route } from "./+types/chore";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing, refuse } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";
import { ChoreForm } from "../ui/repair/ChoreForm";
import { ChoreRounds } from "../ui/repair/ChoreRounds";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.chore?.name ?? "New chore"} · Holotaxis` },
];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "chore"));

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("chore", { id: idOf(params.id) });
  if (!page) throw missing("chore", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const id = idOf(params.id);
  const intent = form.get("intent");
  if (id !== null && intent === "remove") {
    const removed = await act(context, "chore.remove", { id });
    return removed.ok ? redirect("/runbooks/housekeeping") : removed.refusal;
  }
  if (id !== null && intent === "begin") {
    const begun = await act(context, "chore.begin", { id });
    return begun.ok ? { ok: true as const } : begun.refusal;
  }
  if (id !== null && (intent === "approve" || intent === "decline")) {
    const round = Number(form.get("round"));
    const answered = await act(context, "chore.answer", { id, round, approved: intent === "approve" });
    return answered.ok ? { ok: true as const } : answered.refusal;
  }
  let chore: object;
  try {
    chore = JSON.parse(String(form.get("chore"))) as object;
  } catch {
    return refuse("The form was not sent whole. Load the page again.");
  }
  const saved = await act(context, "chore.save", {
    ...chore,
    ...(id === null ? {} : { id }),
  } as CommandInput<"chore.save">);
  return saved.ok ? redirect(`/runbooks/housekeeping/${saved.value}`) : saved.refusal;
}

export default function ChorePage({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const { window: now } = useShell();
  const answer = useAnswer(answered);
  const refusal = answer && "problem" in answer ? answer : undefined;
  const next = page.nextAt === null ? "" : `; next ${dayAndTime(page.nextAt, now.nowMs, true)}`;
  const fell =
    page.fellBackAt === null
      ? ""
      : `; trusted less since ${dayAndTime(page.fellBackAt, now.nowMs, true)}, because ${page.fellBackWhy}`;
  return (
    <>
      <PageHead
        name="Runbooks › Housekeeping"
        sentence={
          page.chore
            ? `${page.chore.name}: ${page.chore.isOn ? `${page.chore.level}, ${triggerWords(page.chore.trigger)}${next}` : "off"}${fell}.`
            : "A new chore; it begins by watching."
        }
        actions={
          <Form method="post">
            <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
              <KeepLink to="/runbooks/housekeeping">All chores</KeepLink>
              {page.chore ? (
                <RightButton right="repair" type="submit" name="intent" value="begin" variant="outlined">
                  {page.chore.level === "watch" ? "See what a round would do" : "Begin a round now"}
                </RightButton>
              ) : null}
            </Stack>
          </Form>
        }
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        {page.chore ? <ChoreRounds rounds={page.rounds} /> : null}
        <Section title="Chore">
          <ChoreForm key={`${page.id}${page.chore?.level}`} page={page} refusal={refusal} />
        </Section>
      </Stack>
    </>
  );
}
