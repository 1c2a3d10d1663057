import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Link as RouterLink } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/component";
import { idFrom, missing } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { overlayAsked, windowOf } from "../shell/window.server";
import { ChangeList } from "../ui/ChangeList";
import { ChartCard } from "../ui/ChartCard";
import { Guests } from "../ui/Guests";
import { KeepLink } from "../ui/KeepLink";
import { KindGlyph } from "../ui/KindGlyph";
import { LogLines } from "../ui/LogLines";
import { Empty, Fact, PageHead, Section } from "../ui/Page";
import { OverlayPicker } from "../ui/OverlayPicker";
import { PlainTable } from "../ui/PlainTable";
import { SeverityLabel, SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.component.name ?? "Component"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { fromMs, toMs, atMs } = windowOf(request, context.now());
  const page = await context.ask("component", {
    id: idFrom(params.id, "component"),
    atMs,
    fromMs,
    toMs,
    overlay: overlayAsked(request),
  });
  if (!page) throw missing("component", params.id);
  return { ...page, overlay: overlayAsked(request) };
}

type Data = Route.ComponentProps["loaderData"];

export default function Component({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const { component, host } = page;
  const info = kindInfo(component.kind);
  const isHost = component.host_id === null;
  const gone = component.valid_to !== null && component.valid_to <= now.atMs;
  const notYet = component.valid_from > now.atMs;
  const state = notYet
    ? `was not known yet; it was found ${dayAndTime(component.valid_from, now.nowMs)}`
    : gone
      ? `left the estate ${dayAndTime(component.valid_to as number, now.nowMs)}`
      : page.severity === "cleared"
        ? "is healthy"
        : `is ${page.severity}: ${page.reason}`;
  const sentence = `${component.name} ${state}. ${info.label}${host ? ` on ${host.name}` : ` at ${component.site}`}${page.services.length ? `, part of ${page.services.length > 3 ? `${page.services.length} services` : page.services.map((service) => service.name).join(", ")}` : ""}.`;
  return (
    <>
      <PageHead
        name={`Estate › ${info.label}`}
        severity={page.severity}
        sentence={sentence}
        actions={
          <>
            {page.charts.length ? <OverlayPicker value={page.overlay} width={200} /> : null}
            <Button component={RouterLink} to={keep(`/map?around=${component.id}`)} variant="outlined">
              Local map
            </Button>
            {page.sends ? (
              <Button component={RouterLink} to={keep(`/signals/logs?component=${component.id}`)} variant="outlined">
                Logs
              </Button>
            ) : null}
            {page.runbooks[0] ? (
              <Button
                component={RouterLink}
                to={keep(`/runbooks/${page.runbooks[0].id}?target=${component.id}`)}
                variant="outlined"
              >
                Run a runbook
              </Button>
            ) : null}
          </>
        }
      />
      <Stack sx={{ gap: 1.5 }}>
        {page.charts.length ? (
          <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(auto-fill, minmax(300px, 1fr))" }}>
            {page.charts.map((chart) => (
              <ChartCard key={chart.seriesId} chart={chart} />
            ))}
          </Box>
        ) : (
          <Empty>No metrics yet. A host is polled once it answers SNMP, a process once its host is.</Empty>
        )}
        {page.silent ? (
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {page.silent} more {page.silent === 1 ? "series of what it sends has" : "series of what it sends have"} no
            sample in this window.
          </Typography>
        ) : null}
        {page.carriers.map((carrier) => (
          <Section
            key={carrier.id}
            title={`${kindInfo(carrier.kind).label} it runs on, at the same instant`}
            aside={<KeepLink to={`/estate/${carrier.id}`}>{carrier.name}</KeepLink>}
          >
            <Stack direction="row" sx={{ gap: 0.75, alignItems: "center", mb: carrier.charts.length ? 1 : 0 }}>
              <SeverityMark severity={carrier.severity} size={16} />
              <Typography variant="body2">
                {carrier.name} is {carrier.severity === "cleared" ? "well" : carrier.severity}
                {carrier.reason ? `: ${carrier.reason}` : ""}.
              </Typography>
            </Stack>
            {carrier.charts.length ? (
              <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(auto-fill, minmax(300px, 1fr))" }}>
                {carrier.charts.map((chart) => (
                  <ChartCard key={chart.seriesId} chart={chart} height={96} />
                ))}
              </Box>
            ) : null}
          </Section>
        ))}
        {page.guests.length ? <Guests title={`Virtual machines: ${page.guests.length}`} rows={page.guests} /> : null}
        <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))", alignItems: "start" }}>
          <Section title="Facts">
            <Box
              component="dl"
              sx={{ display: "grid", gridTemplateColumns: "repeat(2, minmax(0, 1fr))", gap: 1, m: 0 }}
            >
              <Fact name="Kind">{info.label}</Fact>
              <Fact name="Site">{component.site}</Fact>
              {host ? (
                <Fact name="Runs on">
                  <KeepLink to={`/estate/${host.id}`}>{host.name}</KeepLink>
                </Fact>
              ) : null}
              {page.carriers
                .filter((carrier) => carrier.how === "hosted by")
                .map((carrier) => (
                  <Fact key={carrier.id} name="Hypervisor">
                    <KeepLink to={`/estate/${carrier.id}`}>{carrier.name}</KeepLink>
                  </Fact>
                ))}
              {page.facts.map((fact) => (
                <Fact key={fact.name} name={capital(fact.name)}>
                  {fact.value}
                </Fact>
              ))}
              {page.memoryBytes === null ? null : <Fact name="Memory">{formatValue(page.memoryBytes, "By")}</Fact>}
              <Fact name="Found">{dayAndTime(component.valid_from, now.nowMs)}</Fact>
              <Fact name="Last seen">{`${dayAndTime(component.last_seen_at, now.nowMs, true)} (${spokenDuration(now.nowMs - component.last_seen_at)} ago)`}</Fact>
              <Fact name="Identified by">{component.reason}</Fact>
              {page.services.length ? (
                <Fact name="Services">
                  {page.services.map((service, index) => (
                    <span key={service.uid}>
                      {index ? ", " : ""}
                      <KeepLink to={`/services/${service.uid}`}>{service.name}</KeepLink>
                    </span>
                  ))}
                </Fact>
              ) : null}
            </Box>
          </Section>
          <Stack sx={{ gap: 1.5, minWidth: 0 }}>
            <Section title="Talks to" pad={false}>
              <Talks rows={page.called} showOwn={isHost} empty="No outgoing connections seen." />
            </Section>
            <Section title="Called by" pad={false}>
              <Talks rows={page.callers} showOwn={isHost} empty="No incoming connections seen." />
            </Section>
            {page.parts.length ? (
              <Section title="Runs on this host">
                <Stack
                  component="ul"
                  direction="row"
                  sx={{ gap: 1.5, flexWrap: "wrap", p: 0, m: 0, listStyle: "none" }}
                >
                  {page.parts.map((part) => (
                    <Stack component="li" key={part.id} direction="row" sx={{ gap: 0.75, alignItems: "center" }}>
                      <KindGlyph kind={part.kind} />
                      <KeepLink to={`/estate/${part.id}`}>{part.label}</KeepLink>
                    </Stack>
                  ))}
                </Stack>
              </Section>
            ) : null}
            {page.wired.length ? (
              <Section title="Connected to">
                <Stack
                  component="ul"
                  direction="row"
                  sx={{ gap: 1.5, flexWrap: "wrap", p: 0, m: 0, listStyle: "none" }}
                >
                  {page.wired.map((wire) => (
                    <li key={wire.other.id}>
                      <KeepLink to={`/estate/${wire.other.id}`}>{wire.other.name}</KeepLink>{" "}
                      <span style={{ color: "var(--mui-palette-text-secondary)" }}>{wire.detail}</span>
                    </li>
                  ))}
                </Stack>
              </Section>
            ) : null}
          </Stack>
          {page.interfaces.length ? (
            <Rows
              title="Interfaces"
              head={["Name", "Hardware address", "Speed", "In", "Out", "State"]}
              right={[2, 3, 4]}
            >
              {page.interfaces.map((row) => [
                row.name,
                <code key="a">{row.physAddress}</code>,
                formatValue(row.speedBps, "bit/s"),
                formatValue(row.inBps, "bit/s"),
                formatValue(row.outBps, "bit/s"),
                row.up ? "up" : "down",
              ])}
            </Rows>
          ) : null}
          {page.storage.length ? (
            <Rows title="Storage" head={["Where", "Type", "Size", "Used"]} right={[2, 3]}>
              {page.storage.map((row) => [
                row.label,
                row.type === "ram" ? "memory" : row.type,
                formatValue(row.sizeUnits * row.unitBytes, "By"),
                formatValue(row.usedPercent, "%"),
              ])}
            </Rows>
          ) : null}
          {page.listeners.length ? (
            <Rows title="Listening ports" head={["Port", "Address", "Process", "Number"]} right={[0, 3]}>
              {page.listeners.map((row) => [row.port, row.address || "any", row.process, row.pid])}
            </Rows>
          ) : null}
          {page.software.length ? (
            <Rows title="Running software" head={["Process", "Number", "Path and parameters"]} right={[1]}>
              {page.software.map((row) => [row.name, row.pid, `${row.path} ${row.parameters}`.trim() || "–"])}
            </Rows>
          ) : null}
          {page.sends ? (
            <Section
              title="Latest logs"
              aside={<KeepLink to={`/signals/logs?component=${component.id}`}>All</KeepLink>}
            >
              {page.logs.length === 0 ? (
                <Empty>No records in this window.</Empty>
              ) : (
                <LogLines logs={page.logs} nowMs={now.nowMs} />
              )}
            </Section>
          ) : null}
          <Section title="Alarms in this window" pad={false}>
            {page.alarms.length ? (
              <PlainTable>
                <tbody>
                  {page.alarms.map((alarm) => (
                    <tr key={alarm.id}>
                      <td>
                        <SeverityLabel severity={alarm.severity === "cleared" ? alarm.worst : alarm.severity} />
                      </td>
                      <td>{alarm.text}</td>
                      <td className="line">
                        {dayAndTime(alarm.raised_at, now.nowMs)}
                        {alarm.cleared_at
                          ? `, ${spokenDuration(alarm.cleared_at - alarm.raised_at)}`
                          : ", still active"}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </PlainTable>
            ) : (
              <Box sx={{ px: 1.5 }}>
                <Empty>None.</Empty>
              </Box>
            )}
          </Section>
          <Section title="Changes in this window">
            <ChangeList
              changes={page.changes}
              nowMs={now.nowMs}
              empty="None. Widen the window on the ribbon to see earlier ones."
            />
          </Section>
        </Box>
      </Stack>
    </>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function Talks({ rows, showOwn, empty }: { rows: Data["called"]; showOwn: boolean; empty: string }) {
  if (!rows.length)
    return (
      <Box sx={{ px: 1.5 }}>
        <Empty>{empty}</Empty>
      </Box>
    );
  return (
    <PlainTable>
      <tbody>
        {rows.map((row) => (
          <tr key={`${row.own.id}-${row.other.id}-${row.detail}`}>
            {showOwn ? <td>{row.own.label}</td> : null}
            <td>
              <Stack direction="row" sx={{ gap: 0.75, alignItems: "center" }}>
                <SeverityMark severity={row.other.severity} size={15} />
                <KeepLink to={`/estate/${row.other.id}`}>{row.other.name}</KeepLink>
              </Stack>
            </td>
            <td>{row.detail}</td>
            <td className="num">
              {row.calls
                ? `${row.calls.calls.toLocaleString("en-GB")} calls, ${row.calls.failed ? `${row.calls.failed.toLocaleString("en-GB")} failed, ` : ""}95 % within ${formatValue(row.calls.p95Ms, "ms")}`
                : row.connections
                  ? `${row.connections} open`
                  : ""}
            </td>
            <td>
              <Typography variant="caption" sx={{ color: "text.secondary" }}>
                seen by {row.seenBy === "both" ? "both ends" : row.seenBy === "spans" ? "spans" : `the ${row.seenBy}`}
              </Typography>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Rows({
  title,
  head,
  right,
  children,
}: {
  title: string;
  head: string[];
  right: number[];
  children: ReactNode[][];
}) {
  return (
    <Section title={title} pad={false}>
      <Box sx={{ maxHeight: 260, overflow: "auto" }} tabIndex={0} role="region" aria-label={title}>
        <PlainTable pinned>
          <thead>
            <tr>
              {head.map((one, index) => (
                <th scope="col" key={one} className={right.includes(index) ? "num" : ""}>
                  {one}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {children.map((cells, row) => (
              <tr key={row}>
                {cells.map((cell, index) => (
                  <td key={index} className={right.includes(index) ? "num" : ""}>
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Box>
    </Section>
  );
}
