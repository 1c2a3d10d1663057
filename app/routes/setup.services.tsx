import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Link as RouterLink } from "react-router";
import type { Route } from "./+types/setup.services";
import { useKeep } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Services · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return { services: await context.ask("services", { atMs: context.now() }) };
}

export default function Services({ loaderData: { services } }: Route.ComponentProps) {
  const keep = useKeep();
  return (
    <>
      <PageHead
        name="Setup › Services"
        sentence={
          services.length
            ? `${services.length} services are defined by their entry points; members follow from the connections seen.`
            : "No services yet. Make one from an entry point: everything behind it is found."
        }
        actions={
          <Button component={RouterLink} to={keep("/services/new")} variant="contained">
            Make a service
          </Button>
        }
      />
      <Section title="Services" pad={false}>
        {services.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>Without services, incidents are kept per component.</Empty>
          </Box>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Service</th>
                <th scope="col">Owner</th>
                <th scope="col">Entry points</th>
                <th scope="col">Business figure</th>
                <th scope="col">Relies on</th>
                <th scope="col" className="num">
                  Members
                </th>
              </tr>
            </thead>
            <tbody>
              {services.map((service) => (
                <tr key={service.id}>
                  <td>
                    <KeepLink to={`/services/${service.uid}`}>{service.name}</KeepLink>
                  </td>
                  <td>{service.owner}</td>
                  <td>{service.entries.map((entry) => `${entry.process} on ${entry.host}`).join(", ")}</td>
                  <td>{service.figure ? `${service.figure.label} (${service.figure.metric})` : "none"}</td>
                  <td>{service.reliesOn.join(", ") || "–"}</td>
                  <td className="num">{service.members}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
