import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { kindInfo } from "#core/kinds";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/service";
import { missing } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { ChangeList } from "../ui/ChangeList";
import { ChartCard } from "../ui/ChartCard";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [{ title: `${loaderData?.service.name ?? "Service"} · Holotaxis` }];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { fromMs, toMs, atMs } = windowOf(request, context.now());
  const page = await context.ask("service", { uid: params.uid.slice(0, 60), atMs, fromMs, toMs });
  if (!page) throw missing("service", params.uid);
  return page;
}

export default function Service({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const unwell = page.members.filter((member) => member.severity !== "cleared");
  const sentence = page.severity === "cleared" ? `${page.service.name} is well: none of its ${page.members.length} members has an alarm.` : `${page.service.name} is ${page.severity}: ${page.reason}. ${unwell.length} of ${page.members.length} members ${unwell.length === 1 ? "is" : "are"} unwell.`;
  return (
    <>
      <PageHead
        name={`Service · ${page.service.owner || "no owner"}`}
        severity={page.severity}
        sentence={sentence}
        actions={
          <Button component={RouterLink} to={keep(`/map?service=${page.service.uid}`)} variant="outlined">
            Its map
          </Button>
        }
      />
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 340px", alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          {page.chart ? <ChartCard chart={page.chart} height={180} /> : null}
          <Section title={`Members: ${page.members.length}`} pad={false}>
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Component</th>
                  <th scope="col">Kind</th>
                  <th scope="col">Site</th>
                  <th scope="col">Health</th>
                </tr>
              </thead>
              <tbody>
                {page.members.map((member) => (
                  <tr key={member.id}>
                    <td>
                      <KeepLink to={`/estate/${member.id}`}>{member.name}</KeepLink>
                      {member.entry ? " (entry point)" : ""}
                    </td>
                    <td>{kindInfo(member.kind).label}</td>
                    <td>{member.site}</td>
                    <td title={member.reason}>
                      <SeverityLabel severity={member.severity} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          </Section>
        </Stack>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Section title="What it is">
            <p style={{ margin: 0 }}>{page.service.purpose || "No purpose is written down."}</p>
            <p style={{ marginBottom: 0, color: "var(--mui-palette-text-secondary)", fontSize: "0.84rem" }}>
              Members join by themselves: everything its entry points ({page.service.entries.map((entry) => `${entry.process} on ${entry.host}`).join(", ")}) are seen talking to, and what that runs on.
            </p>
          </Section>
          <Section title="Incidents in this window">
            {page.incidents.length ? (
              page.incidents.map((incident) => (
                <p key={incident.id} style={{ margin: "0 0 8px" }}>
                  <KeepLink to={`/incidents/${incident.id}`}>{incident.title}</KeepLink>
                  <br />
                  <small>
                    {dayAndTime(incident.opened_at, now.nowMs)}
                    {incident.resolved_at ? `, ${spokenDuration(incident.resolved_at - incident.opened_at)}` : ", open"}
                  </small>
                </p>
              ))
            ) : (
              <Empty>None. Widen the window on the ribbon to see earlier ones.</Empty>
            )}
          </Section>
          <Section title="Changes to its members">
            <ChangeList changes={page.changes} nowMs={now.nowMs} empty="None in this window." />
          </Section>
        </Stack>
      </Box>
    </>
  );
}
