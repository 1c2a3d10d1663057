import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Link as RouterLink } from "react-router";
import { Form } from "react-router";
import { entriesInWords } from "#core/estate/service-list";
import type { Field } from "#core/forms/field";
import type { Route } from "./+types/setup.services";
import { useAnswer } from "../shell/answer";
import { act, formOf } from "../shell/answers.server";
import { SchemaField } from "../ui/SchemaField";
import { RightButton } from "../ui/RightButton";
import { useKeep } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Services · Holotaxis" }];

export async function action({ request, context }: Route.ActionArgs) {
  const list = String((await formOf(request)).get("list") ?? "");
  const done = await act(context, "service.import", { list });
  return done.ok ? { ok: true as const, ...done.value } : done.refusal;
}

export async function loader({ context }: Route.LoaderArgs) {
  return { services: await context.ask("services", { atMs: context.now() }) };
}

const LIST: Field = {
  name: "list",
  label: "List of services",
  help: "CSV with a head line, or JSON: name, purpose, owner, entries (“process on host”, or “process on host for GET /a | POST /b”, with semicolons between), hours, server limit ms, browser limit ms, failures only, notes. Services of the same name are changed.",
  type: "lines",
  value: "",
  file: ".csv,.json,.txt",
  choices: [],
};

export default function Services({ loaderData: { services }, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
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
          <>
            <Button component="a" href="/setup/services.csv" download variant="outlined">
              CSV
            </Button>
            <Button component={RouterLink} to={keep("/services/new")} variant="contained">
              Make a service
            </Button>
          </>
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
                  <td>{entriesInWords(service.entries)}</td>
                  <td>{service.figure ? `${service.figure.label} (${service.figure.metric})` : "none"}</td>
                  <td>{service.reliesOn.join(", ") || "–"}</td>
                  <td className="num">{service.members}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
      <Box sx={{ mt: 1.5, maxWidth: 860 }}>
        <FromList answer={actionData} />
      </Box>
    </>
  );
}

function FromList({ answer: actionData }: { answer: Route.ComponentProps["actionData"] }) {
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  return (
    <Section title="Services from a list">
      {refusal && !refusal.fields ? <Problem>{refusal.problem}</Problem> : null}
      <Form method="post" noValidate>
        <SchemaField field={LIST} problem={refusal?.fields?.list} />
        <div className="hx-row" style={{ gap: 12, marginTop: 8 }}>
          <RightButton right="configure" type="submit" variant="outlined">
            Take it in
          </RightButton>
          <span role="status">
            {actionData && "made" in actionData
              ? `${actionData.made} made, ${actionData.changed} changed; members follow from the connections seen.`
              : ""}
          </span>
        </div>
      </Form>
    </Section>
  );
}
