import Box from "@mui/material/Box";
import { useState } from "react";
import { knownUses, topProcesses, amountOf, type UsedMost } from "#core/correlation/odd-process";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Empty, Section } from "../Page";
import { PlainButton } from "../PlainButton";
import { PlainTable } from "../PlainTable";
import { spanOf, type IncidentData } from "./page";

const SHOWN = 10;

/** The processes that used most of what ran out, or of the other, when the alarm was raised. */
export function TopProcesses({ page }: { page: IncidentData }) {
  const { window: now } = useShell();
  const { snapshot } = page;
  const [chosen, choose] = useState<UsedMost>();
  if (!snapshot) return null;
  const known = knownUses(snapshot.processes);
  const by = [chosen, snapshot.by].find((one) => one !== undefined && known.includes(one)) ?? "memory";
  return (
    <Section
      title={`Top processes by ${by} on ${snapshot.on?.name ?? page.host?.name} at ${dayAndTime(snapshot.atMs, now.nowMs, true)}`}
      pad={snapshot.processes.length === 0}
      aside={
        <>
          {known
            .filter((one) => one !== by)
            .map((one) => (
              <PlainButton key={one} onClick={() => choose(one)}>
                By {one}
              </PlainButton>
            ))}
          {snapshot.on ? (
            <KeepLink to={`/estate/${snapshot.on.componentId}?${spanOf(page)}`}>{snapshot.on.name}</KeepLink>
          ) : null}
        </>
      }
    >
      {snapshot.processes.length ? (
        <Top by={by} processes={topProcesses(snapshot.processes, SHOWN, by)} memoryBytes={snapshot.memoryBytes} />
      ) : (
        <Empty>{snapshot.failure ?? "No processes were listed."}</Empty>
      )}
    </Section>
  );
}

type Listed = NonNullable<IncidentData["snapshot"]>["processes"][number];

function Top({ by, processes, memoryBytes }: { by: UsedMost; processes: Listed[]; memoryBytes: number }) {
  const valueOf = (process: Listed) => Math.max(0, amountOf(process, by));
  const largest = Math.max(1, ...processes.map(valueOf));
  const hasConnections = processes.some((one) => one.connections !== undefined);
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Process</th>
          <th scope="col" className="num">
            Number
          </th>
          <th scope="col" className="num" title="Of one processor, over two seconds">
            Processor
          </th>
          <th scope="col" className="num">
            Memory
          </th>
          <th scope="col" className="num">
            Share of host
          </th>
          {hasConnections ? (
            <th scope="col" className="num" title="TCP connections that were open">
              Connections
            </th>
          ) : null}
          <th scope="col" style={{ width: "30%" }}>
            Drawn
          </th>
        </tr>
      </thead>
      <tbody>
        {processes.map((process) => (
          <tr key={process.pid}>
            <td>{process.name}</td>
            <td className="num">{process.pid}</td>
            <td className="num">{process.cpuPercent === undefined ? "–" : formatValue(process.cpuPercent, "%")}</td>
            <td className="num">{formatValue(process.memoryBytes, "By")}</td>
            <td className="num">{memoryBytes ? formatValue((process.memoryBytes / memoryBytes) * 100, "%") : "–"}</td>
            {hasConnections ? <td className="num">{process.connections ?? "–"}</td> : null}
            <td>
              <Box
                aria-hidden="true"
                sx={{
                  height: 10,
                  width: `${(valueOf(process) / largest) * 100}%`,
                  minWidth: "1px",
                  bgcolor: "var(--hx-chart)",
                }}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
