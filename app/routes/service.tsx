import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { entriesInWords } from "#core/estate/service-list";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/service";
import { missing } from "../shell/answers.server";
import { useChangeParams } from "../shell/params";
import { useKeep, useShell } from "../shell/window";
import { overlayAsked, windowOf } from "../shell/window.server";
import { ChangeList } from "../ui/ChangeList";
import { ChartCard } from "../ui/charts/ChartCard";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { LogLines } from "../ui/logs/LogLines";
import { OverlayPicker } from "../ui/OverlayPicker";
import { PlainTable } from "../ui/PlainTable";
import { Rows } from "../ui/Rows";
import { OperationTable } from "../ui/traces/OperationTable";
import { MemberSignals } from "../ui/service/MemberSignals";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.service.name ?? "Service"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { fromMs, toMs, atMs } = windowOf(request, context.now());
  const page = await context.ask("service", {
    uid: params.uid.slice(0, 60),
    atMs,
    fromMs,
    toMs,
    overlay: overlayAsked(request),
    allMembers: new URL(request.url).searchParams.get("members") === "all",
  });
  if (!page) throw missing("service", params.uid);
  return { ...page, fromMs, toMs, overlay: overlayAsked(request) };
}

type Data = Route.ComponentProps["loaderData"];

/** What it is hurt by, as measured, and apart from that how those are that it relies on. */
function sentenceOf({ service, severity, reason, relies, memberCount, unwellCount }: Data): string {
  const of = `${unwellCount} of ${memberCount} members ${unwellCount === 1 ? "is" : "are"} unwell`;
  if (severity === "cleared" && relies.severity === "cleared")
    return `${service.name} is healthy: none of its ${memberCount} members has an alarm.`;
  if (severity === "cleared")
    return `${service.name} does as usual, but relies on something unwell (${relies.severity}): ${relies.reason}. ${of}.`;
  return `${service.name} is hurt (${severity}): ${reason}. ${of}.`;
}

export default function Service({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  return (
    <>
      <PageHead
        name={`Service · ${page.service.owner || "no owner"}`}
        severity={page.severity}
        sentence={sentenceOf(page)}
        actions={
          <>
            <OverlayPicker value={page.overlay} width={200} />
            <Button component={RouterLink} to={keep(`/map?service=${page.service.uid}`)} variant="outlined">
              Map
            </Button>
            <Button component={RouterLink} to={keep(`/services/${page.service.uid}/objective`)} variant="outlined">
              Objective
            </Button>
            <Button component={RouterLink} to={keep(`/services/${page.service.uid}/structure`)} variant="outlined">
              Structure
            </Button>
            <Button component={RouterLink} to={keep(`/signals/logs?service=${page.service.uid}`)} variant="outlined">
              Logs
            </Button>
            <Button
              component={RouterLink}
              to={keep(`/incidents/planned-work/new?service=${page.service.uid}`)}
              variant="outlined"
            >
              Plan work
            </Button>
            <Button component={RouterLink} to={keep(`/services/${page.service.uid}/edit`)} variant="outlined">
              Edit
            </Button>
          </>
        }
      />
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 340px", alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          {page.chart ? <ChartCard chart={page.chart} height={180} /> : null}
          {page.operations.length ? (
            <Section title="Operations" aside={<KeepLink to="/signals/traces">All operations</KeepLink>} pad={false}>
              <OperationTable rows={page.operations}>
                {(one) => <KeepLink to={`/signals/traces?operation=${one.id}`}>{one.name}</KeepLink>}
              </OperationTable>
            </Section>
          ) : null}
          <MemberSignals key={page.service.uid} uid={page.service.uid} />
          {page.logs.length ? (
            <Section
              title="Latest warnings and errors"
              aside={<KeepLink to={`/signals/logs?service=${page.service.uid}&level=13`}>All</KeepLink>}
            >
              <LogLines logs={page.logs} nowMs={now.nowMs} />
            </Section>
          ) : null}
          <Members members={page.members} count={page.memberCount} />
        </Stack>
        <About page={page} />
      </Box>
    </>
  );
}

function Members({ members, count }: { members: Data["members"]; count: number }) {
  const changeParams = useChangeParams();
  return (
    <Section title={`Members: ${count}`} pad={false}>
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
          <Rows rows={members} columns={4}>
            {(member) => (
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
            )}
          </Rows>
        </tbody>
      </PlainTable>
      {count === members.length ? null : (
        <Box sx={{ px: 1.5, py: 0.5 }}>
          <Button onClick={() => changeParams((params) => params.set("members", "all"), true)}>
            Show the other {count - members.length} too
          </Button>
        </Box>
      )}
    </Section>
  );
}

function keptInWords({ side, limitMs, calls, share, p95Ms }: Data["promises"][number]): string {
  if (share === null || p95Ms === null)
    return side === "server"
      ? "No answers of its entry points were measured in this window."
      : "No page timings were sent in this window: browsers send them as spans documentLoad with this service's name.";
  const what = side === "server" ? "answers" : "page loads";
  return `${formatValue(Math.floor(share * 1000) / 10, "%")} of ${calls.toLocaleString("en-GB")} ${what} in this window took at most ${limitMs} ms; 95 % took at most ${formatValue(p95Ms / 1000, "s")}.`;
}

/** When it must work, what it promises, and what to know on shift. */
function Promise({ details, kept }: { details: Data["service"]["details"]; kept: Data["promises"] }) {
  const limits = [
    details.serverLimitMs ? `${details.serverLimitMs} ms at the server` : "",
    details.browserLimitMs ? `${details.browserLimitMs} ms in the browser` : "",
  ].filter(Boolean);
  const parts = [
    details.hours ? `Hours: ${details.hours}.` : "",
    limits.length ? `Response within ${limits.join(", ")}.` : "",
    details.tells === "failures" ? "Failures only are told." : "",
  ].filter(Boolean);
  return (
    <>
      {parts.length ? <p style={{ margin: "6px 0 0" }}>{parts.join(" ")}</p> : null}
      {kept.map((one) => (
        <p key={one.side} style={{ margin: "6px 0 0" }}>
          {keptInWords(one)}
        </p>
      ))}
      {details.notes ? <p style={{ margin: "6px 0 0", whiteSpace: "pre-wrap" }}>{details.notes}</p> : null}
    </>
  );
}

/** What it is for, and what happened to it lately. */
function About({ page }: { page: Data }) {
  const { window: now } = useShell();
  return (
    <Stack sx={{ gap: 1.5, minWidth: 0 }}>
      <Section title="About">
        <p style={{ margin: 0 }}>{page.service.purpose || "No description."}</p>
        <Promise details={page.service.details} kept={page.promises} />
        <p style={{ marginBottom: 0, color: "var(--mui-palette-text-secondary)", fontSize: "0.84rem" }}>
          Members join automatically: everything its entry points ({entriesInWords(page.service.entries)}) connect to,
          and what that runs on.
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
      <Section title="Changes">
        <ChangeList changes={page.changes} nowMs={now.nowMs} empty="None in this window." />
      </Section>
    </Stack>
  );
}
