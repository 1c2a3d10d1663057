import "react-router";
import type { Extension } from "#core/catalogue/extend";
import type { Answer, Asked, QuestionName } from "../pages/registry";
import type { WorkbenchResult } from "../workbench/open";
import type { Principal } from "../people/principal";
import type { CommandName, CommandOutput } from "../commands/registry";
import type { Arrivals, OpenedMail } from "../demo/standins";
import type { Engine } from "../engine/engine";
import type { CertificateState } from "./certificate";
import type { Entrance } from "./entrance";

/** What loaders and actions get of the server. */
export interface Holotaxis {
  /** Who sends the request; null for nobody known, who gets nothing but the way in. */
  who: Principal | null;
  /** Reads from the store, on a reading thread, what whoever asks may see. */
  ask<Name extends QuestionName>(name: Name, asked: Asked<Name>): Promise<Answer<Name>>;
  /** Has a person's command carried out; throws a PersonError with a sentence where it is refused. */
  command<Name extends CommandName>(name: Name, input: unknown): Promise<CommandOutput<Name>>;
  /** Asks the engine about itself. */
  tell<Name extends "drills" | "itself">(name: Name): Promise<Awaited<ReturnType<Engine[Name]>>>;
  /** What arrived at the demonstration's mail server and its receiver of webhooks. */
  arrivals(): Promise<Arrivals>;
  /** One mail of them, whole; null where it is not kept any more. */
  mail(number: number): Promise<OpenedMail | null>;
  /** The way in and out. */
  entrance: Entrance;
  /** Runs a reading SQL statement of a person, within limits. */
  runSql(sql: string, mostRows: number): Promise<WorkbenchResult>;
  now(): number;
  /** What kits add to the catalogue of kinds and metrics. */
  catalogue: Extension;
  /** Clock milliseconds in one machine millisecond. */
  pace: () => number;
  /** The pace that was asked for; a demonstration's clock goes slower while the machine cannot keep up. */
  wantedPace: () => number;
  clockSet: boolean;
  hasDrills: boolean;
  /** Where signals are received; 0 for a port that is off. */
  receivePorts: { host: string; otlp: number; grpc: number; syslog: number; traps: number };
  /** Signing in goes by one click for made-up people. */
  isDemo: boolean;
  /** What pages and receivers are served with; null without TLS. */
  certificate(): CertificateState | null;
  root: string;
  /** Folder that files are sent to. */
  uploads: string;
  /** Nonce of this answer's content policy. */
  nonce: string;
}

declare module "react-router" {
  interface AppLoadContext extends Holotaxis {}
}
