import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/setup.channels";
import { useKeep, useShell } from "../shell/window";
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
        actions={<AddChannel kinds={kinds} />}
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

function AddChannel({ kinds }: Pick<Data, "kinds">) {
  const keep = useKeep();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <Button
        variant="contained"
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        Add a channel
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {kinds.map((one) => (
          <MenuItem key={one.kind} component={RouterLink} to={keep(`/setup/channels/new?kind=${one.kind}`)}>
            <div style={{ maxWidth: 420, whiteSpace: "normal" }}>
              {one.label}
              <div className="hx-caption">{one.words}</div>
            </div>
          </MenuItem>
        ))}
      </Menu>
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
