import Stack from "@mui/material/Stack";
import { redirect } from "react-router";
import { policySchema } from "#core/repair/policy";
import { dayAndTime } from "#core/time/windows";
import type { CommandInput } from "#server/commands/registry";
import type { Route } from "./+types/policy";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing, refuse } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { PolicyForm } from "../ui/repair/PolicyForm";
import { Rulings } from "../ui/repair/Rulings";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.policy?.name ?? "New policy"} · Holotaxis` },
];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "policy"));

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const run = Number(new URL(request.url).searchParams.get("run"));
  const page = await context.ask("policy", {
    id: idOf(params.id),
    runId: Number.isInteger(run) && run > 0 ? run : undefined,
  });
  if (!page) throw missing("policy", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const id = idOf(params.id);
  if (form.get("intent") === "remove" && id !== null) {
    const removed = await act(context, "policy.remove", { id });
    return removed.ok ? redirect("/runbooks/policies") : removed.refusal;
  }
  let policy: object;
  try {
    policy = JSON.parse(String(form.get("policy"))) as object;
  } catch {
    return refuse("The form was not sent whole. Load the page again.");
  }
  if (form.get("intent") === "try") {
    const read = policySchema.safeParse(policy);
    if (!read.success) {
      const fields = Object.fromEntries(read.error.issues.map((issue) => [issue.path.join("."), issue.message]));
      return refuse(Object.values(fields)[0] ?? "Something in the form is not right.", fields);
    }
    return { ok: true as const, tried: await context.ask("policyTried", { policy: read.data, nowMs: context.now() }) };
  }
  const saved = await act(context, "policy.save", {
    ...policy,
    ...(id === null ? {} : { id }),
  } as CommandInput<"policy.save">);
  return saved.ok ? redirect(`/runbooks/policies/${saved.value}`) : saved.refusal;
}

const DID = {
  would: "would have run it",
  proposed: "proposed it",
  asked: "asked for approval",
  started: "ran it",
  held: "was held back",
} as const;

export default function PolicyPage({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const { window: now } = useShell();
  const answer = useAnswer(answered);
  const refusal = answer && "problem" in answer ? answer : undefined;
  return (
    <>
      <PageHead
        name="Runbooks › Policies"
        sentence={
          page.policy
            ? `${page.policy.name}: ${page.policy.isOn ? page.policy.level : "off"}${page.fellBackAt === null ? "" : `; trusted less since ${dayAndTime(page.fellBackAt, now.nowMs, true)}, because ${page.fellBackWhy}`}.`
            : "A new policy; it begins by watching."
        }
        actions={<KeepLink to="/runbooks/policies">All policies</KeepLink>}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Policy">
          <PolicyForm
            key={`${page.id}${page.policy?.level}`}
            page={page}
            refusal={refusal}
            tried={answer && "tried" in answer ? answer.tried : undefined}
          />
        </Section>
        {page.policy ? (
          <Section title="What it did" pad={page.acts.length === 0}>
            {page.acts.length === 0 ? (
              <Empty>Nothing yet: no incident has had such a cause since it was written.</Empty>
            ) : (
              <PlainTable>
                <thead>
                  <tr>
                    <th scope="col">When</th>
                    <th scope="col">Incident</th>
                    <th scope="col">On</th>
                    <th scope="col">What</th>
                    <th scope="col">Outcome</th>
                    <th scope="col">Why</th>
                  </tr>
                </thead>
                <tbody>
                  {page.acts.map((one) => (
                    <tr key={one.id}>
                      <td className="line top">{dayAndTime(one.at, now.nowMs, true)}</td>
                      <td className="top">
                        <KeepLink to={`/incidents/${one.incident_id}`}>{one.incident_id}</KeepLink>
                      </td>
                      <td className="top">
                        <KeepLink to={`/estate/${one.component_id}`}>{one.component}</KeepLink>
                      </td>
                      <td className="line top">
                        {DID[one.did]}
                        {one.run_id === null ? null : (
                          <>
                            {": "}
                            <KeepLink to={`/runs/${one.run_id}`}>{`run ${one.run_id}`}</KeepLink>
                          </>
                        )}
                      </td>
                      <td className="top">{one.outcome ?? "–"}</td>
                      <td className="top">
                        {one.why}
                        {one.did === "held" ? <Rulings rulings={one.rulings} warnOnly /> : null}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </PlainTable>
            )}
          </Section>
        ) : null}
      </Stack>
    </>
  );
}
