import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import { redirect, useFetcher } from "react-router";
import type { Route } from "./+types/mapping";
import { act, formOf, missing } from "../shell/answers.server";
import { MappingForm } from "../ui/mapping/MappingForm";
import { MappingPreview } from "../ui/mapping/MappingPreview";
import { PageHead, Problem, Section } from "../ui/Page";
import { MONO } from "../theme/theme";

export const meta: Route.MetaFunction = () => [{ title: "Mapping · Holotaxis" }];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("mapping", { name: params.name === "new" ? null : params.name });
  if (!page) throw missing("mapping", params.name);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request)) as Record<string, string>;
  const before = params.name === "new" ? {} : { before: params.name };
  if (intent === "remove") {
    const removed = await act(context, "mapping.remove", { name: params.name });
    return removed.ok ? redirect("/discover/mappings") : removed.refusal;
  }
  const trial = {
    text: fields.text ?? "",
    address: fields.address ?? "",
    authority: fields.authority ?? "",
    credentialId: fields.credentialId ? Number(fields.credentialId) : null,
  };
  if (intent === "preview") {
    const shown = await act(context, "mapping.preview", trial);
    return shown.ok ? { preview: shown.value } : shown.refusal;
  }
  if (intent === "answer") {
    const shown = await act(context, "mapping.answer", { ...trial, path: fields.path ?? "" });
    return shown.ok ? { answer: shown.value, path: fields.path ?? "" } : shown.refusal;
  }
  const saved = await act(context, "mapping.save", { ...before, text: trial.text });
  return saved.ok ? redirect("/discover/mappings") : saved.refusal;
}

export default function Mapping({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  // What a fetcher holds stays when the page loads anew by itself; before the page is alive a form is answered with it.
  const fetcher = useFetcher<typeof action>();
  const actionData = fetcher.data ?? answered;
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  return (
    <>
      <PageHead
        name="Discover › Mappings › Mapping"
        sentence={
          page.name === null
            ? "A new mapping: say how the interface is read, and try it against its live answers."
            : `The mapping ${page.name} is used by ${page.sources.length ? `the ${page.sources.length === 1 ? "source" : "sources"} ${page.sources.join(", ")}` : "no source yet"}.`
        }
      />
      <Problem>{refusal ? <span style={{ whiteSpace: "pre-line" }}>{refusal.problem}</span> : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="How it is read">
          <MappingForm page={page} problems={refusal?.fields ?? {}} fetcher={fetcher} />
        </Section>
        {actionData && "preview" in actionData && actionData.preview ? (
          <MappingPreview preview={actionData.preview} />
        ) : null}
        {actionData && "answer" in actionData ? (
          <Section title={`Answer at ${actionData.path}`}>
            <Box
              component="pre"
              role="status"
              tabIndex={0}
              sx={{ m: 0, fontFamily: MONO, fontSize: "0.78rem", maxHeight: 480, overflow: "auto" }}
            >
              {actionData.answer}
            </Box>
          </Section>
        ) : null}
      </Stack>
    </>
  );
}
