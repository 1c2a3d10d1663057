import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { redirect, useFetcher } from "react-router";
import type { Route } from "./+types/source";
import { act, idFrom, missing, formOf } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";
import { SourceForm } from "../ui/SourceForm";

export const meta: Route.MetaFunction = () => [{ title: "Source · Holotaxis" }];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const id = params.id === "new" ? null : idFrom(params.id, "source");
  const page = await context.ask("source", { id });
  if (!page) throw missing("source", params.id);
  const asked = new URL(request.url).searchParams.get("type");
  return { ...page, chosen: page.forms.find((form) => form.kind === asked) ?? page.forms[0] };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request));
  const input = { ...(params.id === "new" ? {} : { id: idFrom(params.id, "source") }), fields };
  if (intent === "remove") {
    const removed = await act(context, "source.remove", { id: idFrom(params.id, "source") });
    return removed.ok ? redirect("/discover") : removed.refusal;
  }
  if (intent === "test") {
    const checked = await act(context, "source.check", input);
    return checked.ok ? { checked: checked.value } : checked.refusal;
  }
  const saved = await act(context, "source.save", input);
  if (!saved.ok) return saved.refusal;
  if (intent !== "save-and-sweep") return redirect("/discover");
  const started = await act(context, "sweep.start", { sourceId: saved.value, wait: false });
  return started.ok ? redirect(`/discover/sweeps/${started.value}`) : started.refusal;
}

export default function Source({ loaderData: { source, forms, chosen }, actionData: answered }: Route.ComponentProps) {
  // What a fetcher holds stays when the page loads anew by itself; before the page is alive a form is answered with it.
  const fetcher = useFetcher<typeof action>({ key: `source ${source?.id ?? chosen?.kind}` });
  const actionData = fetcher.data ?? answered;
  const answer = actionData && "problem" in actionData ? actionData : undefined;
  const checked = actionData && "checked" in actionData ? actionData.checked : undefined;
  if (!chosen) return null;
  return (
    <Box sx={{ maxWidth: 860 }}>
      <PageHead
        name="Discover › Source"
        sentence={
          source
            ? `${source.name} (${source.kindLabel}) covers ${source.covers}.`
            : "A new source: say where to look, and how."
        }
      />
      <Problem>{answer && !answer.fields ? answer.problem : null}</Problem>
      {source ? null : (
        <Stack direction="row" component="nav" aria-label="Type of source" sx={{ gap: 2, mb: 1.5 }}>
          {forms.map((form) => (
            <Box key={form.kind}>
              <KeepLink
                to={`/discover/sources/new?type=${form.kind}`}
                aria-current={form === chosen ? "page" : undefined}
              >
                {form.label}
              </KeepLink>
              <Typography variant="body2" color="text.secondary">
                {form.about}
              </Typography>
            </Box>
          ))}
        </Stack>
      )}
      <Stack sx={{ gap: 1.5 }}>
        <Section title={chosen.label}>
          <SourceForm
            key={chosen.kind}
            fetcher={fetcher}
            form={chosen}
            name={source?.name ?? ""}
            site={source?.site ?? ""}
            answer={answer}
            isNew={source === null}
          />
        </Section>
        {checked ? (
          <Section title={checked.ok ? "Test passed" : "Test failed"}>
            <div role="status">
              <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
                {checked.lines.map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </Box>
            </div>
          </Section>
        ) : null}
      </Stack>
    </Box>
  );
}
