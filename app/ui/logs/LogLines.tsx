import Box from "@mui/material/Box";
import type { LogLevel } from "#core/telemetry/log-levels";
import { dayAndTime } from "#core/time/windows";
import { LogLevelWord } from "./LogLevelWord";

/** A few log records, a line each, newest first. */
export function LogLines({
  logs,
  nowMs,
}: {
  logs: readonly { id: number; atMs: number; level: LogLevel; body: string; sender?: string }[];
  nowMs: number;
}) {
  return (
    <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none", fontSize: "0.8rem" }}>
      {logs.map((log) => (
        <li key={log.id} style={{ display: "flex", gap: 8 }}>
          <span style={{ whiteSpace: "nowrap" }}>{dayAndTime(log.atMs, nowMs, true)}</span>
          <span style={{ width: 54, flex: "none" }}>
            <LogLevelWord level={log.level} />
          </span>
          {log.sender === undefined ? null : (
            <span style={{ whiteSpace: "nowrap", color: "var(--mui-palette-text-secondary)" }}>{log.sender}</span>
          )}
          <span style={{ overflowWrap: "anywhere" }}>{log.body}</span>
        </li>
      ))}
    </Box>
  );
}
