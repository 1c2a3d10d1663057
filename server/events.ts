import type { ClockSetting } from "#core/time/clock";

/** What open pages are told; each names the subject that changed so that a page can decide to load anew. */
export type LiveEvent =
  | { topic: "tick"; atMs: number; samples: number }
  | { topic: "alarms"; atMs: number }
  | { topic: "incident"; id: number; what: string }
  | { topic: "sweep"; id: number; state: string }
  | { topic: "run"; id: number }
  | { topic: "estate"; atMs: number }
  | { topic: "problem"; message: string | null }
  /** A message for one person, shown by their open pages; sent to nobody else. */
  | { topic: "told"; accountId: number; title: string; text: string; address: string; sound: string }
  /** Sessions, roles or tokens changed: for the server's own threads, never sent to a page. */
  | { topic: "people" }
  /** The clock was set: for the server's own threads too. */
  | { topic: "clock"; setting: ClockSetting; wantedPace: number };
