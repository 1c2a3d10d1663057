import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { redirect } from "react-router";
import type { Route } from "./+types/identity";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { FactHistory } from "../ui/identity/FactHistory";
import { JoinForm } from "../ui/identity/JoinForm";
import { KnownBy } from "../ui/identity/KnownBy";
import { Merged } from "../ui/identity/Merged";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Identity of ${loaderData?.component.name ?? "a component"} · Holotaxis` },
];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("identity", { id: idFrom(params.id, "component") });
  if (!page) throw missing("component", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const id = idFrom(params.id, "component");
  const form = await formOf(request);
  const text = (name: string) => String(form.get(name) ?? "");
  switch (text("what")) {
    case "join": {
      const done = await act(context, "component.join", { id: Number(text("other")), into: id });
      return done.ok ? { ok: true as const, said: `${done.value} is this component from now on.` } : done.refusal;
    }
    case "split": {
      const keys = form.getAll("key").map(String);
      const done = await act(context, "component.split", { id, keys, name: text("name") });
      return done.ok ? redirect(`/estate/${done.value}`) : done.refusal;
    }
    default: {
      const done = await act(context, "component.pin", { id, key: text("key"), on: text("on") === "yes" });
      return done.ok ? { ok: true as const, said: "" } : done.refusal;
    }
  }
}

export default function Identity({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { component } = page;
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  const pinned = page.keys.filter((one) => one.pinnedBy !== null).length;
  return (
    <>
      <PageHead
        name={`Estate › ${component.name} › Identity`}
        sentence={`Known by ${page.keys.length} ${page.keys.length === 1 ? "sign" : "signs"}${pinned ? `, ${pinned} of them pinned` : ""}${page.alike.length ? `; ${page.alike.length} other ${page.alike.length === 1 ? "host says" : "hosts say"} the same of ${page.alike.length === 1 ? "itself" : "themselves"}` : ""}.`}
        actions={<KeepLink to={`/estate/${component.id}`}>Back to {component.name}</KeepLink>}
      />
      <Problem>{refusal && !refusal.fields ? refusal.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        {actionData && "said" in actionData && actionData.said ? (
          <Typography role="status" variant="body2">
            {actionData.said}
          </Typography>
        ) : null}
        <KnownBy page={page} refusal={refusal} />
        <Section title="The same thing under another name?">
          <JoinForm page={page} />
        </Section>
        {page.merged.length ? <Merged page={page} /> : null}
        <FactHistory page={page} />
      </Stack>
    </>
  );
}
