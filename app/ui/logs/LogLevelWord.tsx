import type { LogLevel } from "#core/telemetry/log-levels";

/** Colour is for what needs a person; what is told in passing stays quiet. */
export const LEVEL_COLOUR: Readonly<Record<LogLevel, string>> = {
  fatal: "var(--hx-critical)",
  error: "var(--hx-major)",
  warning: "var(--hx-warning)",
  info: "var(--hx-chart)",
  debug: "var(--hx-chart)",
  "not given": "var(--mui-palette-text-secondary)",
};

/** The level of a log record as a word, with its colour where it matters. */
export function LogLevelWord({ level }: { level: LogLevel }) {
  const loud = level === "fatal" || level === "error" || level === "warning";
  return (
    <span className={loud ? "hx-loud" : "hx-quiet"} style={loud ? { color: LEVEL_COLOUR[level] } : undefined}>
      {level}
    </span>
  );
}
