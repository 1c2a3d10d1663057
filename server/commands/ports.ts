import type { Drill } from "../demo/standins";
import type { LiveEvent } from "../events";
import type { Ingest } from "../ingest/ingest";
import type { People } from "../people/people";
import type { IdentityByHand } from "../estate/by-hand";
import type { MappingDesk } from "../estate/mapping-desk";
import type { Chores } from "../repair/chores";
import type { DryStep } from "../repair/dry-run";
import type { Prepared, RunRequest } from "../repair/prepare";
import type { Runner } from "../repair/runner";
import type { Sweeps } from "../estate/sweeps";
import type { SpendDesk } from "../spend/desk";
import type { Telling } from "../telling/telling";
import type { Vault } from "../vault/vault";
import type { Db } from "../store/database";

/** As much of the running server as commands need. */
export interface CommandPorts {
  db: Db;
  /** Folder of the installation, in which its kits are. */
  root: string;
  now: () => number;
  emit: (event: LiveEvent) => void;
  sources: Pick<Sweeps, "saveSource" | "removeSource" | "check" | "start" | "stop">;
  mappings: Pick<MappingDesk, "save" | "remove" | "preview" | "answer">;
  spend: Pick<SpendDesk, "takeFile">;
  runs: Pick<Runner, "start" | "stop" | "answer" | "rollBack" | "look">;
  /** Looks a run over before anything is done; throws a PersonError with a reason. */
  prepareRun: (asked: RunRequest) => Prepared;
  /** What a run would do, with every word filled in; nothing is done. */
  dryRun: (prepared: Prepared) => Promise<DryStep[]>;
  chores: Pick<Chores, "begin" | "answer">;
  ingest: Pick<
    Ingest,
    | "importSamples"
    | "saveEndpoint"
    | "removeEndpoint"
    | "saveLogFigure"
    | "removeLogFigure"
    | "saveJobWords"
    | "removeJobWords"
    | "saveMatchingRule"
    | "removeMatchingRule"
  >;
  vault: Pick<Vault, "seal" | "use" | "note">;
  /** Asks a host for its key without signing in; throws an Error with a reason. */
  hostKeyAt: (address: string, port: number) => Promise<string>;
  /** Credentials were changed: what polls and scrapes takes them up. */
  onCredentials: () => void;
  people: Pick<People, "invite" | "changed">;
  telling: Pick<Telling, "test" | "again" | "answerOf" | "tellShift">;
  /** Alarms of an incident that stand and are not kept quiet. */
  standingAlarms: (incidentId: number) => number[];
  identity: Pick<IdentityByHand, "join" | "split" | "pin">;
  /** Services were changed: who belongs to them is worked out anew. */
  onServices: () => void;
  /** Collections or labels were changed: what follows from belonging to one is done anew. */
  onCollections: () => void;
  /** Costs, budgets or currencies were changed. */
  onSpend: () => void;
  /** Rules were changed: what is judged follows from the next sample. */
  onRules: () => void;
  /** Incidents put together and taken apart; each throws a PersonError with a reason. */
  incidents: {
    merge(id: number, into: number, by: string): void;
    /** @returns the new incident */
    split(id: number, alarmIds: readonly number[], by: string): number;
  };
  /** Somebody changed which alarms are kept quiet. */
  onQuiet: () => void;
  /** The stand-in estate's faults; only the demonstration has any. */
  drills:
    | {
        /** @returns a sentence where it could not be done */
        act(id: string, action: "start" | "stop"): Promise<string | undefined>;
        list(): Promise<Drill[]>;
        name(id: string, text: string): Promise<{ root: number; roots: number }>;
        /** Lets the estate's clock go so many times as fast as real time. */
        setPace(pace: number): Promise<void>;
      }
    | undefined;
}
