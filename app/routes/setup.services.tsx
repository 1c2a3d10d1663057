import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import type { Route } from "./+types/setup.services";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Services · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return { services: await context.ask("services", { atMs: context.now() }) };
}

export default function Services({ loaderData: { services } }: Route.ComponentProps) {
  return (
    <>
      <PageHead name="Setup › Services" sentence={services.length ? `${services.length} services are described by their entry points; their members follow from what is seen talking.` : "No service is described. Start with --setup FILE on a new store; docs/operating.md shows the form of the file."} />
      <Section title="Services" pad={false}>
        {services.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>Without services, incidents are kept per component.</Empty>
          </Box>
        ) : (
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Service</TableCell>
                <TableCell>Owner</TableCell>
                <TableCell>Entry points</TableCell>
                <TableCell>Business figure</TableCell>
                <TableCell>Relies on</TableCell>
                <TableCell align="right">Members</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {services.map((service) => (
                <TableRow key={service.id}>
                  <TableCell>
                    <KeepLink to={`/services/${service.uid}`}>{service.name}</KeepLink>
                  </TableCell>
                  <TableCell>{service.owner}</TableCell>
                  <TableCell>{service.entries.map((entry) => `${entry.process} on ${entry.host}`).join(", ")}</TableCell>
                  <TableCell>{service.figure ? `${service.figure.label} (${service.figure.metric})` : "none"}</TableCell>
                  <TableCell>{service.reliesOn.join(", ") || "–"}</TableCell>
                  <TableCell align="right">{service.members}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        )}
      </Section>
    </>
  );
}
