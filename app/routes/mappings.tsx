import Button from "@mui/material/Button";
import { Link as RouterLink } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/mappings";
import { useKeep, useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Mappings · Holotaxis" }];

export const loader = async ({ context }: Route.LoaderArgs) => ({ mappings: await context.ask("mappings", {}) });

export default function Mappings({ loaderData: { mappings } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  return (
    <>
      <PageHead
        name="Discover › Mappings"
        sentence={`${mappings.length} ${mappings.length === 1 ? "mapping says" : "mappings say"} how REST interfaces of clouds and managers are read.`}
        actions={
          <Button component={RouterLink} to={keep("/discover/mappings/new")} variant="contained">
            Write a mapping
          </Button>
        }
      />
      <Section title="Mappings" pad={false}>
        <PlainTable aria-label="Mappings">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">About</th>
              <th scope="col">Lists</th>
              <th scope="col">Used by</th>
              <th scope="col">Changed</th>
            </tr>
          </thead>
          <tbody>
            {mappings.map((one) => (
              <tr key={one.name}>
                <td className="line">
                  <KeepLink to={`/discover/mappings/${encodeURIComponent(one.name)}`}>{one.name}</KeepLink>
                </td>
                <td>{one.about}</td>
                <td>{one.lists.join(", ")}</td>
                <td>
                  {one.sources.length === 0
                    ? "–"
                    : one.sources.map((source, index) => (
                        <span key={source.id}>
                          {index ? ", " : ""}
                          <KeepLink to={`/discover/sources/${source.id}`}>{source.name}</KeepLink>
                        </span>
                      ))}
                </td>
                <td className="line">
                  {one.isShipped
                    ? "ships with Holotaxis"
                    : `${dayAndTime(one.changedAt, now.nowMs)} by ${one.changedBy}`}
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Section>
    </>
  );
}
