import { redirect } from "react-router";
import type { CommandInput } from "#server/commands/registry";
import type { Route } from "./+types/planned-work-form";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing, refuse } from "../shell/answers.server";
import { PlannedWorkForm } from "../ui/alarms/PlannedWorkForm";
import { PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Planned work · Holotaxis" }];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "planned work"));
const LIST = "/incidents/planned-work";

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const atMs = context.now();
  const page = await context.ask("plannedWorkForm", { id: idOf(params.id), atMs });
  if (!page) throw missing("planned work", params.id);
  // What it is on may come from elsewhere: a filter of the estate, or a service.
  const given = new URL(request.url).searchParams;
  const asked = (name: string) => (given.get(name) ?? "").slice(0, 200);
  return {
    ...page,
    given: {
      service: asked("service"),
      q: asked("q"),
      kind: asked("kind"),
      site: asked("site"),
      label: asked("label"),
    },
    now: new Date(atMs).toISOString().slice(0, 16),
  };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const id = idOf(params.id);
  if (form.get("intent") === "remove" && id !== null) {
    const removed = await act(context, "work.remove", { id });
    return removed.ok ? redirect(LIST) : removed.refusal;
  }
  let work: CommandInput<"work.save">["work"];
  try {
    work = JSON.parse(String(form.get("work"))) as typeof work;
  } catch {
    return refuse("The form was not sent whole. Load the page again.");
  }
  if (form.get("intent") === "try") {
    const tried = await context.ask("plannedWorkTried", { work, atMs: context.now() });
    return tried.ok ? { tried } : refuse(tried.problem, tried.fields);
  }
  const saved = await act(context, "work.save", { work, ...(id === null ? {} : { id }) });
  return saved.ok ? redirect(LIST) : saved.refusal;
}

export default function PlannedWork({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const refusal = answer && "problem" in answer ? answer : undefined;
  return (
    <>
      <PageHead
        name="Incidents › Planned work"
        sentence={
          page.row
            ? `“${page.row.work.title}”, planned by ${page.row.by}.`
            : "Plan work: alarms on what it covers are counted and open no incident while it is under way."
        }
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Section title="Work">
        <PlannedWorkForm
          key={page.row?.id ?? 0}
          page={page}
          refusal={refusal}
          tried={answer && "tried" in answer ? answer.tried : undefined}
        />
      </Section>
    </>
  );
}
