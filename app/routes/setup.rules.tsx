import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, Link as RouterLink } from "react-router";
import type { Route } from "./+types/setup.rules";
import { useAnswer } from "../shell/answer";
import { act, formOf } from "../shell/answers.server";
import { useKeep } from "../shell/window";
import { AddMenu } from "../ui/AddMenu";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Rules · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return context.ask("rules", { atMs: context.now() });
}

export async function action({ request, context }: Route.ActionArgs) {
  const fields = await formOf(request);
  const id = Number(fields.get("id"));
  const intent = String(fields.get("intent"));
  const done =
    intent === "remove"
      ? await act(context, "rule.remove", { id })
      : await act(context, "rule.switch", { id, on: intent === "on" });
  return done.ok ? { ok: true as const } : done.refusal;
}

type Data = Route.ComponentProps["loaderData"];

export default function Rules({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const [words, setWords] = useState("");
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = page.rules.filter((rule) => {
    const hay = `${rule.name} ${rule.scope} ${rule.words} ${rule.detector}`.toLowerCase();
    return wanted.every((word) => hay.includes(word));
  });
  const on = page.rules.filter((rule) => rule.enabled).length;
  return (
    <>
      <PageHead
        name="Setup › Rules"
        sentence={`${on} of ${page.rules.length} rules are on. Changes apply from the next sample and are logged.`}
        actions={
          // Every way of judging makes a rule of its own.
          <AddMenu
            label="Add a rule"
            kinds={page.detectors.map(({ type, label, about }) => ({
              to: `/setup/rules/new?detector=${type}`,
              label,
              about,
            }))}
          />
        }
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Stack direction="row" sx={{ mb: 1 }}>
        <TextField
          label="Find a rule"
          type="search"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          sx={{ width: 280 }}
        />
      </Stack>
      <Section title={shown.length === page.rules.length ? "Rules" : `Rules: ${shown.length}`} pad={false}>
        {shown.length === 0 ? (
          <div className="hx-pad">
            <Empty>{page.rules.length ? "No rule has these words." : "No rules, so nothing raises an alarm."}</Empty>
          </div>
        ) : (
          <RuleTable rules={shown} />
        )}
      </Section>
    </>
  );
}

function RuleTable({ rules }: { rules: Data["rules"] }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Rule</th>
          <th scope="col">Applies to</th>
          <th scope="col">Raises an alarm</th>
          <th scope="col" className="num">
            Alarms in 14 d
          </th>
          <th scope="col">State</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {rules.map((rule) => (
          <tr key={rule.id}>
            <td>
              <KeepLink to={`/setup/rules/${rule.id}`}>{rule.name}</KeepLink>
              <div className="hx-caption">{rule.detector}</div>
            </td>
            <td>{rule.scope}</td>
            <td style={{ maxWidth: 420 }}>{rule.words}</td>
            <td className="num">{rule.raised}</td>
            <td>{rule.enabled ? "on" : "off"}</td>
            <td>
              <Form method="post" style={{ display: "flex", gap: 4, whiteSpace: "nowrap" }}>
                <input type="hidden" name="id" value={rule.id} />
                <RightButton
                  right="configure"
                  type="submit"
                  size="small"
                  name="intent"
                  value={rule.enabled ? "off" : "on"}
                  aria-label={`Switch ${rule.enabled ? "off" : "on"}: ${rule.name}`}
                >
                  Switch {rule.enabled ? "off" : "on"}
                </RightButton>
                <Copy id={rule.id} name={rule.name} />
                <RightButton
                  right="configure"
                  type="submit"
                  size="small"
                  name="intent"
                  value="remove"
                  aria-label={`Remove ${rule.name}`}
                  onClick={(event) => {
                    if (!confirm(`Remove the rule “${rule.name}”? What it raised is cleared; its past stays.`))
                      event.preventDefault();
                  }}
                >
                  Remove
                </RightButton>
              </Form>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Copy({ id, name }: { id: number; name: string }) {
  const keep = useKeep();
  return (
    <Button size="small" component={RouterLink} to={keep(`/setup/rules/new?copy=${id}`)} aria-label={`Copy ${name}`}>
      Copy
    </Button>
  );
}
