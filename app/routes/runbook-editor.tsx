import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMemo, useRef, useState } from "react";
import { Form, redirect, useNavigation } from "react-router";
import { draftOf, textOf, type Draft } from "#core/repair/edit";
import { readRunbook } from "#core/repair/text";
import type { Route } from "./+types/runbook-editor";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { EditCards } from "../ui/repair/EditCards";
import { YamlEditor } from "../ui/repair/YamlEditor";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.name ?? "New runbook"} · Holotaxis` },
];

const idOf = (text: string | undefined) => (text === undefined ? null : idFrom(text, "runbook"));

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("runbookEditor", { id: idOf(params.id) });
  if (!page) throw missing("runbook", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const id = idOf(params.id);
  const saved = await act(context, "runbook.save", {
    ...(id === null ? {} : { id }),
    text: String(form.get("text") ?? ""),
    remark: String(form.get("remark") ?? ""),
  });
  return saved.ok ? redirect(`/runbooks/${saved.value.id}?version=${saved.value.version}`) : saved.refusal;
}

export default function RunbookEditor({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const busy = useNavigation().state !== "idle";
  const [text, setText] = useState(page.text);
  const read = useMemo(() => readRunbook(text), [text]);
  const draft = useMemo(() => draftOf(text), [text]);
  const change = (next: Draft) => setText(textOf(next));
  return (
    <Form method="post">
      <input type="hidden" name="text" value={text} />
      <PageHead
        name="Runbooks"
        sentence={page.name === null ? "A new runbook" : `${page.name}: the next version, after ${page.version}`}
        actions={<TakeFile onText={setText} />}
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Box
        sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)", alignItems: "start" }}
      >
        <Stack sx={{ gap: 1.5 }}>
          <Section title="Steps">
            {draft ? (
              <EditCards draft={draft} path={["steps"]} onChange={change} />
            ) : (
              <Empty>The text is not YAML yet, so there are no cards to show.</Empty>
            )}
          </Section>
        </Stack>
        <Stack sx={{ gap: 1.5 }}>
          <Section title="As text" aside={<span className="hx-caption">YAML; cards and text follow each other</span>}>
            <YamlEditor value={text} onChange={setText} />
            <Findings read={read} />
          </Section>
          <Section title="Save">
            <Stack sx={{ gap: 1.5 }}>
              <TextField
                name="remark"
                label="What is new"
                autoComplete="off"
                slotProps={{ htmlInput: { maxLength: 300 } }}
              />
              <Stack direction="row" sx={{ gap: 1, alignItems: "center" }}>
                <RightButton right="configure" type="submit" variant="contained" disabled={busy || !read.ok}>
                  Save as draft
                </RightButton>
                {page.id === null ? null : <KeepLink to={`/runbooks/${page.id}`}>Leave it as it is</KeepLink>}
              </Stack>
              <p className="hx-flush">
                A draft can be tried by whoever may configure; it is run by others, and by policies, when a second
                person has approved it.
              </p>
            </Stack>
          </Section>
        </Stack>
      </Box>
    </Form>
  );
}

function Findings({ read }: { read: ReturnType<typeof readRunbook> }) {
  return (
    <div role="status">
      {read.ok ? (
        <p className="hx-flush">Nothing is wrong with it.</p>
      ) : (
        <ul className="hx-plain-list">
          {read.problems.map((one) => (
            <li key={`${one.line}${one.message}`}>
              {one.line ? `Line ${one.line}: ` : ""}
              {one.message}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

const MOST_BYTES = 100_000;

/** A runbook from a file. */
function TakeFile({ onText }: { onText: (text: string) => void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const take = async (file: File | undefined) => {
    if (file && file.size <= MOST_BYTES) onText(await file.text());
  };
  return (
    <>
      <Button variant="outlined" onClick={() => chooser.current?.click()}>
        From a file …
      </Button>
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".yaml,.yml,.json"
        aria-label="Runbook from a file"
        onChange={(event) => void take(event.target.files?.[0])}
      />
    </>
  );
}
