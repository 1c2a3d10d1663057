import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { z } from "zod";
import type { Route } from "./+types/setup.kit";
import { useAnswer } from "../shell/answer";
import { act, formOf, missing, readForm } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { KitNotes } from "../ui/kits/KitNotes";
import { KitParts } from "../ui/kits/KitParts";
import { PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.title ?? "Kit"} · Kits · Holotaxis` },
];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("kit", { root: context.root, uid: params.uid });
  if (!page) throw missing("kit", params.uid);
  return page;
}

const part = { part: z.enum(["rule", "policy", "chore"]), name: z.string() };
const schema = z.discriminatedUnion("what", [
  z.object({ what: z.literal("take"), ...part }),
  z.object({ what: z.literal("keep"), ...part }),
  z.object({
    what: z.literal("note"),
    metric: z.string(),
    replaces: z.string(),
    title: z.string(),
    text: z.string(),
  }),
  z.object({ what: z.literal("back"), id: z.coerce.number().int() }),
]);

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done = await (() => {
    switch (value.what) {
      case "take":
        return act(context, "kit.take", { kit: params.uid, part: value.part, name: value.name });
      case "keep":
        return act(context, "kit.keep", { kit: params.uid, part: value.part, name: value.name });
      case "note": {
        const { what: _what, ...note } = value;
        return act(context, "kit.note", { kit: params.uid, ...note });
      }
      case "back":
        return act(context, "note.remove", { id: value.id });
    }
  })();
  return done.ok ? { ok: true as const } : done.refusal;
}

function sentenceOf({ title, kind, parts, notes }: Route.ComponentProps["loaderData"]): string {
  const newer = parts.filter((one) => one.standing === "newer").length;
  const own = parts.filter((one) => one.standing === "own").length + newer + notes.filter((one) => one.own).length;
  const state = [newer ? `${newer} with an update` : "", own ? `${own} changed here` : ""].filter(Boolean);
  return `${title}${kind === title ? "" : ` (${kind.toLowerCase()})`}: ${state.join(", ") || "unchanged"}.`;
}

export default function KitPage({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const of = (kind: string) => page.parts.filter((one) => one.part === kind);
  return (
    <>
      <PageHead
        name="Setup › Kits"
        sentence={sentenceOf(page)}
        actions={<Button href={`/setup/kits/${page.uid}/kit.json`}>Download kit file</Button>}
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <KitParts title="Rules" parts={of("rule")} />
        <KitParts title="Policies" parts={of("policy")} />
        <KitParts title="Chores" parts={of("chore")} />
        <KitNotes notes={page.notes} />
        {page.runbooks.length ? (
          <Section title={`Runbooks: ${page.runbooks.length}`}>
            <ul className="hx-plain-list">
              {page.runbooks.map((one) => (
                <li key={one.name}>
                  {one.id === null ? one.name : <KeepLink to={`/runbooks/${one.id}`}>{one.name}</KeepLink>}
                  {one.isOwn ? " (with versions written here)" : ""}: {one.purpose}
                </li>
              ))}
            </ul>
          </Section>
        ) : null}
        {page.kinds.length + page.metrics.length > 0 ? (
          <Section title="Kinds and metrics">
            <p style={{ margin: 0 }}>
              {page.kinds.length ? `Kinds: ${page.kinds.join(", ")}. ` : ""}
              {page.metrics.length ? `Metrics: ${page.metrics.join(", ")}.` : ""}
            </p>
          </Section>
        ) : null}
      </Stack>
    </>
  );
}
