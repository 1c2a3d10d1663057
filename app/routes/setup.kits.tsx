import Stack from "@mui/material/Stack";
import { z } from "zod";
import type { Route } from "./+types/setup.kits";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { KitFile } from "../ui/kits/KitFile";
import { PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Kits · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return { kits: await context.ask("kits", { root: context.root }) };
}

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), z.object({ text: z.string() }));
  if (!form.ok) return form.refusal;
  const done = await act(context, "kit.import", form.value);
  return done.ok ? { ok: true as const, taken: done.value } : done.refusal;
}

type Kit = Route.ComponentProps["loaderData"]["kits"][number];

const COUNTED = [
  { label: "Rules", of: (kit: Kit) => kit.rules },
  { label: "Notes", of: (kit: Kit) => kit.notes },
  { label: "Runbooks", of: (kit: Kit) => kit.runbooks },
  { label: "Policies", of: (kit: Kit) => kit.policies },
  { label: "Chores", of: (kit: Kit) => kit.chores },
] as const;

function stateOf({ own, newer, removed }: Kit): string {
  // What waits with an update was changed here too: the rest was updated by itself.
  const changed = own + newer;
  const parts = [
    newer ? `${newer} with an update` : "",
    changed ? `${changed} changed here` : "",
    removed ? `${removed} removed here` : "",
  ].filter(Boolean);
  return parts.join(", ") || "unchanged";
}

export default function Kits({ loaderData: { kits }, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const sum = (of: (kit: Kit) => number) => kits.reduce((all, kit) => all + of(kit), 0);
  const [newer, own] = [sum((kit) => kit.newer), sum((kit) => kit.own + kit.newer)];
  return (
    <>
      <PageHead
        name="Setup › Kits"
        sentence={`${kits.length} kits: ${newer || "no"} ${newer === 1 ? "update" : "updates"} to review, ${own || "no"} ${own === 1 ? "part" : "parts"} changed here.`}
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title={`Kits: ${kits.length}`} pad={false}>
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Kit</th>
                <th scope="col">For</th>
                {COUNTED.map(({ label }) => (
                  <th key={label} scope="col" className="num">
                    {label}
                  </th>
                ))}
                <th scope="col">State</th>
              </tr>
            </thead>
            <tbody>
              {kits.map((kit) => (
                <tr key={kit.uid}>
                  <td>
                    <KeepLink to={`/setup/kits/${kit.uid}`}>{kit.title}</KeepLink>
                  </td>
                  <td>{kit.kind}</td>
                  {COUNTED.map(({ label, of }) => (
                    <td key={label} className="num">
                      {of(kit) || "–"}
                    </td>
                  ))}
                  <td>{stateOf(kit)}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Section>
        <KitFile taken={answer && "taken" in answer ? answer.taken : null} />
      </Stack>
    </>
  );
}
