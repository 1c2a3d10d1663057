import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/notification";
import { act, idFrom, missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Fact, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";
import { occasionOf, STATE_WORDS } from "../ui/telling/MessageTable";

export const meta: Route.MetaFunction = () => [{ title: "Notification · Holotaxis" }];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("message", { id: idFrom(params.id, "notification") });
  if (!page) throw missing("notification", params.id);
  return page;
}

export async function action({ params, context }: Route.ActionArgs) {
  const done = await act(context, "message.again", { id: idFrom(params.id, "notification") });
  return done.ok ? { ok: true as const } : done.refusal;
}

/** One message, with every try and what the other side said. */
export default function Notification({ loaderData: { message, tries }, actionData }: Route.ComponentProps) {
  const { window: now } = useShell();
  const at = (ms: number) => dayAndTime(ms, now.nowMs, true);
  const canTryAgain = message.state === "refused" || message.state === "given up";
  return (
    <>
      <PageHead
        name={`Incidents › Notification ${message.id}`}
        sentence={`${occasionOf(message.moment)} to ${message.name} by ${message.channel}: ${STATE_WORDS[message.state]}.`}
        actions={
          canTryAgain ? (
            <Form method="post">
              <RightButton right="respond" type="submit" variant="outlined">
                Try again
              </RightButton>
            </Form>
          ) : null
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Section title={message.subject || "Not composed yet"}>
        <dl className="hx-facts">
          <Fact name="Address">{message.address}</Fact>
          <Fact name="Because of">{message.why}</Fact>
          <Fact name="Decided">{at(message.madeAt)}</Fact>
          <Fact name="Ended">{message.endedAt === null ? "not yet" : at(message.endedAt)}</Fact>
          {message.state === "due" && message.tries > 0 ? <Fact name="Next try">{at(message.nextAt)}</Fact> : null}
          {message.incidentId === null ? null : (
            <Fact name="Incident">
              <KeepLink to={`/incidents/${message.incidentId}`}>{String(message.incidentId)}</KeepLink>
            </Fact>
          )}
          {message.digestId === null ? null : (
            <Fact name="Digest">
              <KeepLink to={`/incidents/notifications/${message.digestId}`}>{String(message.digestId)}</KeepLink>
            </Fact>
          )}
        </dl>
      </Section>
      <Section title={`Tries: ${tries.length}`} pad={false}>
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">When</th>
              <th scope="col">Outcome</th>
              <th scope="col" className="num">
                Took
              </th>
              <th scope="col">What the other side said</th>
            </tr>
          </thead>
          <tbody>
            {tries.map((one, index) => (
              <tr key={index}>
                <td className="line">{at(one.at)}</td>
                <td>{one.outcome === "retry" ? "tried again later" : one.outcome}</td>
                <td className="num">{one.tookMs} ms</td>
                <td className="hx-wrap">{one.answer}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Section>
    </>
  );
}
