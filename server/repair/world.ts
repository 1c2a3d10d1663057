import type { LiveEvent } from "../events";
import type { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import type { AgentActions } from "./agent-actions";
import type { Vault } from "../vault/vault";

/** What runs need of the running server. */
export interface RunnerWorld {
  db: Db;
  sampleWriter: SampleWriter;
  now: () => number;
  /** Waits a span of the clock's time. */
  sleep: (ms: number, signal: AbortSignal) => Promise<void>;
  /** A span of the clock's time as machine milliseconds. */
  machineMs: (ms: number) => number;
  vault: Pick<Vault, "use" | "note">;
  emit: (event: LiveEvent) => void;
  reportProblem: (message: string) => void;
  /** What agents may do; absent where no receiver hears them. */
  agentActions?: Pick<AgentActions, "offered" | "ask">;
  /** Folder for output that is too long for the store; none is kept where it is left out. */
  outputs?: string;
}
