import "react-router";
import type { Extension } from "#core/catalogue/extend";
import type { Answer, Asked, QuestionName } from "../pages/registry";
import type { WorkbenchResult } from "../workbench/open";
import type { EngineClient } from "../threads/engine-client";

/** What loaders and actions get of the server. */
export interface Holotaxis {
  /** Reads from the store, on a reading thread. */
  ask<Name extends QuestionName>(name: Name, asked: Asked<Name>): Promise<Answer<Name>>;
  /** Has a person's command carried out; throws a PersonError with a sentence where it is refused. */
  command: EngineClient["command"];
  /** Asks the engine about itself. */
  tell: EngineClient["tell"];
  /** Runs a reading SQL statement of a person, within limits. */
  runSql(sql: string, mostRows: number): Promise<WorkbenchResult>;
  now(): number;
  /** What kits add to the catalogue of kinds and metrics. */
  catalogue: Extension;
  /** Clock milliseconds in one machine millisecond. */
  pace: number;
  clockSet: boolean;
  hasDrills: boolean;
  /** Where signals are received; 0 for a port that is off. */
  receivePorts: { host: string; otlp: number; syslog: number };
  root: string;
  /** Nonce of this answer's content policy. */
  nonce: string;
}

declare module "react-router" {
  interface AppLoadContext extends Holotaxis {}
}
