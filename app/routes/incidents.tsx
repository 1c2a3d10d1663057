import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink, useSearchParams } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/incidents";
import { useAnswer } from "../shell/answer";
import { formOf } from "../shell/answers.server";
import { actOnMany } from "../shell/incident-bulk.server";
import { incidentsAsked } from "../shell/incidents.server";
import { actOnViews } from "../shell/views.server";
import { useKeep, useShell } from "../shell/window";
import { IncidentFilters, ORDER_WORDS } from "../ui/incident/IncidentFilters";
import { IncidentTable } from "../ui/incident/IncidentTable";
import { Empty, PageHead, Section } from "../ui/Page";
import { SavedViews } from "../ui/SavedViews";

export const meta: Route.MetaFunction = () => [{ title: "Incidents · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { asked, fromMs, question } = incidentsAsked(request, context.now());
  const [rows, services, people, views] = await Promise.all([
    context.ask("incidents", question),
    context.ask("serviceNames", {}),
    context.ask("peopleNames", {}),
    context.ask("views", { page: "incidents", who: context.who?.name ?? "" }),
  ]);
  return { asked, fromMs, rows, services, people, views };
}

export async function action({ request, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const kept = await actOnViews(context, "incidents", form);
  return kept ? kept.answer : { bulk: await actOnMany(context, form) };
}

export default function Incidents({ loaderData, actionData }: Route.ComponentProps) {
  const { rows, asked, fromMs, services, people, views } = loaderData;
  const answer = useAnswer(actionData ?? undefined);
  const refusal = answer && "problem" in answer ? answer : undefined;
  const bulk = answer && "bulk" in answer ? answer.bulk : undefined;
  const { window: now } = useShell();
  const keep = useKeep();
  const [params] = useSearchParams();
  const { state } = asked;
  const open = rows.filter((row) => row.isOpen);
  return (
    <>
      <PageHead
        name="Incidents"
        sentence={
          open.length
            ? `${open.length} open ${open.length === 1 ? "incident" : "incidents"}; ${rows.length - open.length} resolved since ${dayAndTime(fromMs, now.nowMs)}.`
            : `No incident is open${state === "open" ? "." : `; ${rows.length} resolved since ${dayAndTime(fromMs, now.nowMs)}.`}`
        }
        actions={
          <Stack direction="row" sx={{ gap: 0.5 }}>
            <Button component={RouterLink} to={keep("/incidents/triage")} color="inherit">
              Triage a complaint
            </Button>
            <Button component={RouterLink} to={keep("/incidents/notifications")} color="inherit">
              Notifications
            </Button>
            <Button component={RouterLink} to={keep("/incidents/shift")} color="inherit">
              Shift
            </Button>
            <Button component={RouterLink} to={keep("/incidents/planned-work")} color="inherit">
              Planned work
            </Button>
            <Button component={RouterLink} to={keep("/incidents/alarms")} color="inherit">
              Alarms and load
            </Button>
          </Stack>
        }
      />
      <IncidentFilters asked={asked} services={services} people={people} />
      <div className="hx-row" style={{ gap: 12, marginBottom: 8, flexWrap: "wrap" }}>
        <SavedViews saved={views} to="/incidents" word="view" query={params.toString()} refusal={refusal} />
      </div>
      <Section title={`${ORDER_WORDS[asked.order]}: ${rows.length}`} pad={false}>
        {rows.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>No incidents. Alarms of minor severity and above open one automatically.</Empty>
          </Box>
        ) : (
          <IncidentTable rows={rows} people={people} answer={bulk} />
        )}
      </Section>
    </>
  );
}
