import { Form, useSearchParams } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/notifications";
import { messagesAsked } from "../shell/notifications.server";
import { useKeep, useShell } from "../shell/window";
import { Empty, PageHead, Section } from "../ui/Page";
import { MessageTable, STATE_WORDS } from "../ui/telling/MessageTable";

export const meta: Route.MetaFunction = () => [{ title: "Notifications sent · Holotaxis" }];

const MOST_SHOWN = 200;

export async function loader({ request, context }: Route.LoaderArgs) {
  const asked = messagesAsked(request, context.now(), MOST_SHOWN);
  return { ...(await context.ask("messages", asked)), asked };
}

/** What was told to whom, when, and what came of it. */
export default function Notifications({ loaderData: { messages, counts, asked } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const [params] = useSearchParams();
  const of = (state: string) => counts.find((one) => one.state === state)?.count ?? 0;
  const failed = of("refused") + of("given up");
  return (
    <>
      <PageHead
        name={`Incidents › Notifications since ${dayAndTime(asked.fromMs, now.nowMs)}`}
        sentence={`${of("sent")} sent${failed ? `, ${failed} not taken` : ""}${of("due") ? `, ${of("due")} waiting for another try` : ""}, ${of("held") + of("dropped")} gathered in digests.`}
        actions={
          <a className="hx-link" href={keep(`/incidents/notifications.csv?${params.toString()}`)} download>
            CSV
          </a>
        }
      />
      <Section
        title={messages.length === MOST_SHOWN ? `The latest ${MOST_SHOWN}` : `Messages: ${messages.length}`}
        pad={false}
        aside={
          <Form className="hx-ask" role="search">
            <label className="hx-caption">
              State{" "}
              <select className="hx-select" name="state" defaultValue={asked.state}>
                <option value="">any</option>
                {(["sent", "due", "held", "dropped", "refused", "given up"] as const).map((state) => (
                  <option key={state} value={state}>
                    {STATE_WORDS[state]}
                  </option>
                ))}
              </select>
            </label>
            <label className="hx-caption">
              Person, channel, words{" "}
              <input className="hx-input" type="search" name="text" defaultValue={asked.text} maxLength={100} />
            </label>
            <button type="submit" className="hx-word">
              Find
            </button>
          </Form>
        }
      >
        {messages.length ? (
          <MessageTable messages={messages} />
        ) : (
          <div className="hx-pad">
            <Empty>
              Nothing was sent in this time that fits. Who is told of what stands under Setup › Notifications.
            </Empty>
          </div>
        )}
      </Section>
    </>
  );
}
