import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/setup.channels";
import { useShell } from "../shell/window";
import { AddMenu } from "../ui/AddMenu";
import { KeepLink } from "../ui/KeepLink";
import { Caption, Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Channels · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("channels", { nowMs: context.now() });

type Data = Route.ComponentProps["loaderData"];

export default function Channels({ loaderData: { channels, kinds } }: Route.ComponentProps) {
  const waiting = channels.reduce((sum, one) => sum + one.waiting, 0);
  return (
    <>
      <PageHead
        name="Setup › Channels"
        sentence={
          channels.length
            ? `${channels.filter((one) => one.isOn).length} of ${channels.length} channels are on${waiting ? `; ${waiting} messages wait for another try` : ""}.`
            : "There is no channel yet: messages have no way out."
        }
        actions={
          <AddMenu
            label="Add a channel"
            kinds={kinds.map(({ kind, label, words }) => ({
              to: `/setup/channels/new?kind=${kind}`,
              label,
              about: words,
            }))}
          />
        }
      />
      <Section title="Channels" pad={false}>
        {channels.length ? (
          <ChannelTable channels={channels} />
        ) : (
          <div className="hx-pad">
            <Empty>Add the mail server first; people give their addresses under “My account”.</Empty>
          </div>
        )}
      </Section>
    </>
  );
}

function ChannelTable({ channels }: Pick<Data, "channels">) {
  const { window: now } = useShell();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Channel</th>
          <th scope="col">Goes to</th>
          <th scope="col">State</th>
          <th scope="col" className="num">
            Sent in 7 d
          </th>
          <th scope="col" className="num">
            Waiting
          </th>
          <th scope="col">Last failure</th>
        </tr>
      </thead>
      <tbody>
        {channels.map((one) => (
          <tr key={one.id}>
            <td>
              <KeepLink to={`/setup/channels/${one.id}`}>{one.name}</KeepLink>
              <Caption>{one.label}</Caption>
            </td>
            <td className="hx-wrap">
              {one.host ?? "open pages"}
              {one.address ? <Caption>{one.address}</Caption> : null}
            </td>
            <td>{one.isOn ? "on" : "off"}</td>
            <td className="num">{one.sent}</td>
            <td className="num">{one.waiting}</td>
            <td className="hx-wrap">
              {one.lastFailure ? (
                <KeepLink to={`/incidents/notifications/${one.lastFailure.id}`}>
                  {`${dayAndTime(one.lastFailure.madeAt, now.nowMs)}: ${one.lastFailure.answer.slice(0, 120)}`}
                </KeepLink>
              ) : (
                "none"
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
