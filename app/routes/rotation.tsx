import Button from "@mui/material/Button";
import { redirect } from "react-router";
import type { CommandInput } from "#server/commands/registry";
import type { Route } from "./+types/rotation";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing, refuse } from "../shell/answers.server";
import { RotationForm } from "../ui/oncall/RotationForm";
import { PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Rotation · Holotaxis" }];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "rotation"));

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("rotation", { id: idOf(params.id) });
  if (!page) throw missing("rotation", params.id);
  return { ...page, today: new Date(context.now()).toISOString().slice(0, 10) };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const id = idOf(params.id);
  if (form.get("intent") === "remove" && id !== null) {
    const removed = await act(context, "rotation.remove", { id });
    return removed.ok ? redirect("/on-call") : removed.refusal;
  }
  let given: object;
  try {
    given = JSON.parse(String(form.get("rotation"))) as object;
  } catch {
    return refuse("The form was not sent whole. Load the page again.");
  }
  const saved = await act(context, "rotation.save", {
    ...given,
    ...(id === null ? {} : { id }),
  } as CommandInput<"rotation.save">);
  return saved.ok ? redirect("/on-call") : saved.refusal;
}

export default function Rotation({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const refusal = useAnswer(answered);
  return (
    <>
      <PageHead
        name="On call"
        sentence={page.rotation ? `${page.rotation.name}: who takes turns, and when.` : "A new rotation."}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Section title="Rotation">
        <RotationForm key={page.rotation?.id ?? 0} page={page} refusal={refusal} today={page.today} />
      </Section>
      <Button href="/on-call">On call</Button>
    </>
  );
}
