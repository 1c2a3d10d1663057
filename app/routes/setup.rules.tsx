import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Link as RouterLink } from "react-router";
import type { Route } from "./+types/setup.rules";
import { useKeep } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Rules · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return { rules: await context.ask("rules", {}) };
}

export default function Rules({ loaderData: { rules } }: Route.ComponentProps) {
  const keep = useKeep();
  return (
    <>
      <PageHead
        name="Setup › Rules"
        sentence={`${rules.filter((rule) => rule.enabled).length} of ${rules.length} rules are on. Changes apply from the next sample and are logged.`}
        actions={
          <Button component={RouterLink} to={keep("/setup/rules/new")} variant="contained">
            Add a rule
          </Button>
        }
      />
      <Section title="Rules" pad={false}>
        {rules.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>No rules, so nothing raises an alarm.</Empty>
          </Box>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Rule</th>
                <th scope="col">Applies to</th>
                <th scope="col">Raises an alarm</th>
                <th scope="col">State</th>
              </tr>
            </thead>
            <tbody>
              {rules.map((rule) => (
                <tr key={rule.id}>
                  <td>
                    <KeepLink to={`/setup/rules/${rule.id}`}>{rule.name}</KeepLink>
                  </td>
                  <td>{rule.scope}</td>
                  <td>{rule.words}</td>
                  <td>{rule.enabled ? "on" : "off"}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
