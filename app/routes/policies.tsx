import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { LEVELS } from "#core/repair/policy";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/policies";
import { useAnswer } from "../shell/answer";
import { act, formOf } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Policies · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return context.ask("policies", undefined);
}

export async function action({ request, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const done =
    form.get("intent") === "halt"
      ? await act(context, "repair.halt", { why: String(form.get("why") ?? "") })
      : await act(context, "repair.resume", {});
  return done.ok ? { ok: true as const } : done.refusal;
}

export default function Policies({ loaderData: { policies, halt }, actionData: answered }: Route.ComponentProps) {
  const { window: now } = useShell();
  const answer = useAnswer(answered);
  const acting = policies.filter((one) => one.isOn && one.level === "automatic").length;
  const sentence = halt
    ? `All automatic acts are stopped by ${halt.by} since ${dayAndTime(halt.atMs, now.nowMs, true)}.`
    : acting
      ? `${acting} of ${policies.length} policies ${acting === 1 ? "acts" : "act"} by ${acting === 1 ? "itself" : "themselves"}.`
      : `${policies.length} policies; none acts by itself.`;
  return (
    <>
      <PageHead
        name="Runbooks › Policies"
        sentence={sentence}
        actions={
          <Form method="post">
            <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
              <KeepLink to="/runbooks/policies/new">New policy</KeepLink>
              {halt ? (
                <RightButton right="configure" type="submit" name="intent" value="resume" variant="contained">
                  Let automatic acts go on
                </RightButton>
              ) : (
                <RightButton right="respond" type="submit" name="intent" value="halt" variant="outlined" color="error">
                  Stop all automatic acts
                </RightButton>
              )}
            </Stack>
          </Form>
        }
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Section title="Policies" pad={false}>
        {policies.length === 0 ? (
          <Empty>No policies yet. A policy says which runbook helps against which cause.</Empty>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Policy</th>
                <th scope="col">Runbook</th>
                <th scope="col">Trust</th>
                <th scope="col" className="num">
                  Acts
                </th>
                <th scope="col" className="num">
                  Right
                </th>
                <th scope="col" className="num">
                  Wrong
                </th>
                <th scope="col" className="num">
                  Held back
                </th>
                <th scope="col">Last</th>
              </tr>
            </thead>
            <tbody>
              {policies.map((one) => (
                <Policy key={one.id} one={one} nowMs={now.nowMs} />
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
      <Typography variant="body2" sx={{ mt: 1 }}>
        Trust grows a step at a time: {LEVELS.map((one) => `${one.label.toLowerCase()} ${one.words}`).join("; ")}. It
        falls back by itself after a failure. What a policy would have done counts as right when people did the same.
      </Typography>
    </>
  );
}

function Policy({ one, nowMs }: { one: Route.ComponentProps["loaderData"]["policies"][number]; nowMs: number }) {
  return (
    <tr>
      <td>
        <KeepLink to={`/runbooks/policies/${one.id}`}>{one.name}</KeepLink>
        {one.fellBackWhy ? <p className="hx-caption">Trusted less: {one.fellBackWhy}</p> : null}
      </td>
      <td>{one.runbookName}</td>
      <td className="line">{one.isOn ? one.level : "off"}</td>
      <td className="num">{one.acts || "–"}</td>
      <td className="num">{one.right || "–"}</td>
      <td className="num">{one.wrong || "–"}</td>
      <td className="num">{one.held || "–"}</td>
      <td className="line">{one.lastAt === null ? "–" : dayAndTime(one.lastAt, nowMs, true)}</td>
    </tr>
  );
}
