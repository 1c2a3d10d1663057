import Box from "@mui/material/Box";
import { redirect } from "react-router";
import type { Route } from "./+types/source";
import { sourceSchema } from "#server/settings";
import { attempt, idFrom, missing, readForm } from "../shell/answers.server";
import { whoIs } from "../shell/who.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { SourceForm, USUAL_PORTS } from "../ui/SourceForm";

export const meta: Route.MetaFunction = () => [{ title: "Source · Holotaxis" }];

export async function loader({ params, context }: Route.LoaderArgs) {
  if (params.id === "new") return { source: null };
  const source = await context.ask("source", { id: idFrom(params.id, "source") });
  if (!source) throw missing("source", params.id);
  return { source };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const data = await request.formData();
  const intent = data.get("intent");
  data.delete("intent");
  const form = readForm(data, sourceSchema);
  if (!form.ok) return form.refusal;
  const by = await whoIs(request);
  const id = params.id === "new" ? undefined : idFrom(params.id, "source");
  const saved = await attempt(() => context.tell("saveSource", id, form.value, by));
  if (!saved.ok) return saved.refusal;
  if (intent !== "save-and-sweep") return redirect("/discover");
  const started = await attempt(() => context.tell("startSweep", saved.value, by));
  return started.ok ? redirect(`/discover/sweeps/${started.value}`) : started.refusal;
}

export default function Source({ loaderData: { source }, actionData }: Route.ComponentProps) {
  const answer = actionData && "problem" in actionData ? actionData : undefined;
  return (
    <Box sx={{ maxWidth: 860 }}>
      <PageHead
        name="Discover › Source"
        sentence={
          source
            ? `${source.name} looks at ${source.addresses.toLocaleString("en-GB")} addresses of ${source.site}.`
            : "A new source: say which addresses to look at, and how."
        }
      />
      <Problem>{answer && !answer.fields ? answer.problem : null}</Problem>
      <Section title="Where and how to look">
        <SourceForm
          values={source ?? { name: "", site: "", ranges: "", ports: USUAL_PORTS, snmpPort: 161, pollSeconds: 300 }}
          answer={answer}
          isNew={source === null}
        />
      </Section>
    </Box>
  );
}
