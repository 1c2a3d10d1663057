import Stack from "@mui/material/Stack";
import { Form, redirect } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import type { Route } from "./+types/coverage";
import { useAnswer } from "../shell/answer";
import { act, formOf } from "../shell/answers.server";
import { GapTable } from "../ui/coverage/GapTable";
import { Naming } from "../ui/coverage/Naming";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Coverage · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const id = Number(new URL(request.url).searchParams.get("name"));
  const [page, part] = await Promise.all([
    context.ask("coverage", { atMs: context.now() }),
    Number.isInteger(id) && id > 0 ? context.ask("naming", { id }) : null,
  ]);
  return { ...page, part };
}

export async function action({ request, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request)) as Record<string, string>;
  const done =
    intent === "forget"
      ? await act(context, "product.forget", { id: Number(fields.id) })
      : await act(context, "product.name", {
          product: fields.product ?? "",
          kind: fields.kind ?? "",
          clue: fields.clue ?? "",
          words: fields.words ?? "",
        });
  return done.ok ? redirect("/discover/coverage") : done.refusal;
}

function sentenceOf(groups: Route.ComponentProps["loaderData"]["groups"]): string {
  const gaps = groups.reduce((sum, group) => sum + group.total, 0);
  if (gaps === 0) return "Everything that is known is watched, and nothing that is covered is missing.";
  const sorts = groups.filter((group) => group.total > 0).length;
  return `${gaps} ${gaps === 1 ? "gap" : "gaps"} of ${sorts} ${sorts === 1 ? "sort" : "sorts"}, each with the step that mends it.`;
}

export default function Coverage({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const answer = actionData && "problem" in actionData ? actionData : undefined;
  const found = page.groups.filter((group) => group.total > 0);
  return (
    <>
      <PageHead name="Discover › Coverage" sentence={sentenceOf(page.groups)} />
      <Problem>{answer && !answer.fields ? answer.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        {page.part ? <Naming key={page.part.id} part={page.part} answer={answer} /> : null}
        {found.map((group) => (
          <GapTable key={group.id} group={group} />
        ))}
        <Section title={`Products named here: ${page.named.length}`} pad={false}>
          {page.named.length === 0 ? (
            <div style={{ padding: 12 }}>
              <Empty>None. The fingerprints that ship are files; what they do not know can be named.</Empty>
            </div>
          ) : (
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Product</th>
                  <th scope="col">Kind</th>
                  <th scope="col">Known by</th>
                  <th scope="col">Named by</th>
                  <th scope="col">Actions</th>
                </tr>
              </thead>
              <tbody>
                {page.named.map((one) => (
                  <tr key={one.id}>
                    <td>{one.product}</td>
                    <td>{one.kind ? kindInfo(one.kind).label : "–"}</td>
                    <td>
                      {one.clue} “{one.words}”
                    </td>
                    <td>{one.madeBy}</td>
                    <td>
                      <Form method="post">
                        <input type="hidden" name="intent" value="forget" />
                        <input type="hidden" name="id" value={one.id} />
                        <RightButton
                          right="configure"
                          type="submit"
                          variant="outlined"
                          aria-label={`Forget ${one.product}`}
                        >
                          Forget
                        </RightButton>
                      </Form>
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          )}
        </Section>
      </Stack>
    </>
  );
}
