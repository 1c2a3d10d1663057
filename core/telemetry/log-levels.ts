/** Bands of OpenTelemetry's severity numbers (logs data model, "Severity Fields"), worst first. */
export const LOG_LEVELS = [
  { level: "fatal", least: 21 },
  { level: "error", least: 17 },
  { level: "warning", least: 13 },
  { level: "info", least: 9 },
  { level: "debug", least: 1 },
  { level: "not given", least: 0 },
] as const;

export type LogLevel = (typeof LOG_LEVELS)[number]["level"];

export const logLevel = (severity: number): LogLevel =>
  (LOG_LEVELS.find(({ least }) => severity >= least) ?? LOG_LEVELS[5]).level;
