import type { Settings } from "#server/settings";

/** Settings of a server that keeps everything in a folder and listens nowhere by itself. */
export const settingsAt = (data: string, changes: Partial<Settings> = {}): Settings => ({
  root: process.cwd(),
  data,
  host: "127.0.0.1",
  publicNames: [],
  port: 1,
  otlpPort: 0,
  grpcPort: 0,
  trapPort: 0,
  syslogPort: 0,
  clock: { baseMs: Date.now(), machineMs: Date.now(), pace: 1 },
  clockSet: false,
  historyMs: 0,
  ...changes,
});
