import Box from "@mui/material/Box";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { useShell } from "../../shell/window";
import { Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import type { IncidentData } from "./page";

/** The processes that used most memory when the alarm was raised. */
export function TopProcesses({ page }: { page: IncidentData }) {
  const { window: now } = useShell();
  if (!page.snapshot) return null;
  return (
    <Section
      title={`Top processes by memory on ${page.host?.name} at ${dayAndTime(page.snapshot.atMs, now.nowMs, true)}`}
      pad={page.snapshot.processes.length === 0}
    >
      {page.snapshot.processes.length ? (
        <Top processes={page.snapshot.processes} memoryBytes={page.snapshot.memoryBytes} />
      ) : (
        <Empty>{page.snapshot.failure ?? "No processes were listed."}</Empty>
      )}
    </Section>
  );
}

function Top({
  processes,
  memoryBytes,
}: {
  processes: { pid: number; name: string; memoryBytes: number }[];
  memoryBytes: number;
}) {
  const largest = Math.max(1, ...processes.map((process) => process.memoryBytes));
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Process</th>
          <th scope="col" className="num">
            Number
          </th>
          <th scope="col" className="num">
            Memory
          </th>
          <th scope="col" className="num">
            Share of host
          </th>
          <th scope="col" style={{ width: "35%" }}>
            Drawn
          </th>
        </tr>
      </thead>
      <tbody>
        {processes.map((process) => (
          <tr key={process.pid}>
            <td>{process.name}</td>
            <td className="num">{process.pid}</td>
            <td className="num">{formatValue(process.memoryBytes, "By")}</td>
            <td className="num">{memoryBytes ? formatValue((process.memoryBytes / memoryBytes) * 100, "%") : "–"}</td>
            <td>
              <Box
                aria-hidden="true"
                sx={{
                  height: 10,
                  width: `${(process.memoryBytes / largest) * 100}%`,
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
