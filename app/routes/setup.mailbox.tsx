import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/setup.mailbox";
import { missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Caption, Empty, Fact, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { MailBody } from "../ui/telling/MailBody";

export const meta: Route.MetaFunction = () => [{ title: "Mailbox · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  if (!context.hasDrills) throw missing("mailbox", "");
  const number = Number(new URL(request.url).searchParams.get("mail"));
  const isOne = Number.isSafeInteger(number) && number > 0;
  const [arrived, opened] = await Promise.all([context.arrivals(), isOne ? context.mail(number) : null]);
  return { ...arrived, opened };
}

type Data = Route.ComponentProps["loaderData"];

/** What arrived at the demonstration's mail server and at its receiver of webhooks. */
export default function Mailbox({ loaderData: { messages, calls, opened } }: Route.ComponentProps) {
  return (
    <>
      <PageHead
        name="Setup › Mailbox of the demonstration"
        sentence={`${messages.length} ${messages.length === 1 ? "mail has" : "mails have"} arrived, ${calls.length} ${calls.length === 1 ? "call" : "calls"} of webhooks.`}
      />
      <div style={{ display: "grid", gap: 12 }}>
        {opened ? <Opened mail={opened} /> : null}
        <Section title={`Mail: ${messages.length}`} pad={false}>
          <MailList messages={messages} />
        </Section>
        <Section title={`Calls of webhooks: ${calls.length}`}>
          <Calls calls={calls} />
        </Section>
      </div>
    </>
  );
}

function MailList({ messages }: Pick<Data, "messages">) {
  const { window: now } = useShell();
  if (!messages.length)
    return (
      <div className="hx-pad">
        <Empty>Nothing yet. Start a drill, or send a test from Setup › Channels.</Empty>
      </div>
    );
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Arrived</th>
          <th scope="col">To</th>
          <th scope="col">Subject</th>
          <th scope="col" className="num">
            Size
          </th>
        </tr>
      </thead>
      <tbody>
        {messages.map((one) => (
          <tr key={one.number}>
            <td className="line">{dayAndTime(one.atMs, now.nowMs, true)}</td>
            <td>{one.to.join(", ")}</td>
            <td className="hx-wrap">
              <KeepLink to={`/setup/mailbox?mail=${one.number}`}>{one.subject || "no subject"}</KeepLink>
              {one.inReplyTo ? <Caption>in a thread</Caption> : null}
            </td>
            <td className="num">{Math.ceil(one.bytes / 1024)} KiB</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Opened({ mail }: { mail: NonNullable<Data["opened"]> }) {
  const own = mail.headers.filter((one) => /^x-holotaxis|^message-id|^in-reply-to/i.test(one.name));
  return (
    <Section title={mail.subject || "no subject"}>
      <dl className="hx-facts">
        <Fact name="From">{mail.from}</Fact>
        <Fact name="To">{mail.to.join(", ")}</Fact>
        {own.map((one) => (
          <Fact key={one.name} name={one.name}>
            {one.value}
          </Fact>
        ))}
      </dl>
      {mail.html ? <MailBody html={mail.html} pictures={mail.pictures} title={`Mail ${mail.number}`} /> : null}
      <details>
        <summary>Plain body</summary>
        <PlainText text={mail.text} />
      </details>
    </Section>
  );
}

/** Plain text whose links can be followed, those that lead here. */
function PlainText({ text }: { text: string }) {
  const parts = text.split(/(https?:\/\/\S+)/);
  return (
    <pre className="hx-mail-text">
      {parts.map((part, index) =>
        index % 2 === 1 ? (
          <a key={index} className="hx-link" href={part} rel="noreferrer">
            {part}
          </a>
        ) : (
          part
        ),
      )}
    </pre>
  );
}

function Calls({ calls }: Pick<Data, "calls">) {
  const { window: now } = useShell();
  return (
    <ul className="hx-plain-list">
      {calls.slice(0, 50).map((one) => (
        <li key={one.number}>
          <details>
            <summary>
              {dayAndTime(one.atMs, now.nowMs, true)} {one.path}: {one.headers["webhook-id"] ?? "a call"}
            </summary>
            <pre className="hx-mail-text">{one.body}</pre>
            <Caption>
              {one.headers["webhook-signature"] ? `Signed: ${one.headers["webhook-signature"]}` : "Not signed"}
            </Caption>
          </details>
        </li>
      ))}
    </ul>
  );
}
