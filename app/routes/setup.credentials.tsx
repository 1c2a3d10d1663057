import Button from "@mui/material/Button";
import { Link as RouterLink } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/setup.credentials";
import { useKeep, useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Credentials · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("credentials", {});

export default function Credentials({ loaderData: credentials }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const failing = credentials.filter((one) => one.failure !== null).length;
  return (
    <>
      <PageHead
        name="Setup › Credentials"
        sentence={`${credentials.length} ${credentials.length === 1 ? "credential is" : "credentials are"} kept${failing ? `, ${failing} of them did not work last time` : ""}. Their secrets are never shown.`}
        actions={
          <Button component={RouterLink} to={keep("/setup/credentials/new")} variant="contained">
            Add a credential
          </Button>
        }
      />
      <Section title="Credentials" pad={false}>
        {credentials.length === 0 ? (
          <div className="hx-pad">
            <Empty>None yet. A source asks for its own; others are added here.</Empty>
          </div>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Name</th>
                <th scope="col">Kind</th>
                <th scope="col">For</th>
                <th scope="col">Used by</th>
                <th scope="col">Last used</th>
                <th scope="col">Last failure</th>
              </tr>
            </thead>
            <tbody>
              {credentials.map((one) => (
                <tr key={one.id}>
                  <td>{one.isOwn ? one.name : <KeepLink to={`/setup/credentials/${one.id}`}>{one.name}</KeepLink>}</td>
                  <td>
                    {one.kindLabel}
                    {one.about.user ? <span className="hx-caption"> {one.about.user}</span> : null}
                  </td>
                  <td className="hx-wrap">{one.destinations}</td>
                  <td>{one.sources.join(", ") || "no source"}</td>
                  <td>{one.usedAt === null ? "never" : `${dayAndTime(one.usedAt, now.nowMs)}, ${one.usedFor}`}</td>
                  <td>{one.failedAt === null ? "none" : `${dayAndTime(one.failedAt, now.nowMs)}: ${one.failure}`}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
