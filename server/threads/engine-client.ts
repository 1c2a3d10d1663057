import { Worker, type MessagePort } from "node:worker_threads";
import type { CommandName, CommandOutput } from "../commands/registry";
import type { Engine } from "../engine/engine";
import type { Principal } from "../people/principal";
import type { LiveEvent } from "../events";
import type { Settings } from "../settings";
import { PersonError } from "../store/database";

/** What may be asked of the engine from the thread that serves pages. */
export type EngineCallName =
  | "command"
  | "drills"
  | "itself"
  | "mailbox"
  | "signIn"
  | "join"
  | "signOut"
  | "seenPeople"
  | "refused"
  | "firstLink"
  | "close";

export interface EngineCall {
  id: number;
  name: EngineCallName;
  args: unknown[];
}

export type EngineReply =
  | { kind: "ready" }
  | { kind: "refused"; message: string }
  | { kind: "progress"; text: string }
  | { kind: "fault"; fault: string }
  | { kind: "event"; event: LiveEvent }
  | { kind: "reply"; id: number; value: unknown }
  | {
      kind: "failure";
      id: number;
      problem: { message: string; fields: Readonly<Record<string, string>> | undefined } | undefined;
      fault: string | undefined;
    };

/** The engine's thread, seen from the thread that serves pages. */
export class EngineClient {
  private readonly worker: Worker;
  private readonly waiting = new Map<number, { resolve: (value: unknown) => void; reject: (error: Error) => void }>();
  private nextId = 1;
  readonly ready: Promise<void>;

  constructor(
    file: URL | string,
    settings: Settings,
    onEvent: (event: LiveEvent) => void,
    onProgress: (text: string) => void,
    onFault: (fault: string) => void,
    onDeath: (error: Error) => void,
  ) {
    this.worker = new Worker(file, { workerData: settings });
    this.ready = new Promise((resolve, reject) => {
      this.worker.on("message", (message: EngineReply) => {
        switch (message.kind) {
          case "ready":
            return resolve();
          case "refused":
            return reject(new PersonError(message.message));
          case "progress":
            return onProgress(message.text);
          case "fault":
            return onFault(message.fault);
          case "event":
            return onEvent(message.event);
          case "reply":
            this.waiting.get(message.id)?.resolve(message.value);
            break;
          case "failure":
            this.waiting
              .get(message.id)
              ?.reject(
                message.problem
                  ? new PersonError(message.problem.message, message.problem.fields)
                  : new Error(message.fault),
              );
        }
        this.waiting.delete(message.id);
      });
    });
    this.worker.on("error", onDeath);
  }

  /** Asks the engine to do something; a PersonError carries a sentence for the one who asked. */
  tell = <Name extends EngineCallName>(
    name: Name,
    ...args: Parameters<Engine[Name]>
  ): Promise<Awaited<ReturnType<Engine[Name]>>> => {
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve: resolve as (value: unknown) => void, reject });
      this.worker.postMessage({ id, name, args } satisfies EngineCall);
    });
  };

  /** Has a person's command carried out. */
  command = <Name extends CommandName>(who: Principal, name: Name, input: unknown): Promise<CommandOutput<Name>> =>
    this.tell("command", who, name, input) as Promise<CommandOutput<Name>>;

  /** Hands the engine its end of the line to the receivers. */
  attach(port: MessagePort): void {
    this.worker.postMessage({ attach: port }, [port]);
  }

  async close(): Promise<void> {
    const exited = new Promise<void>((resolve) => this.worker.once("exit", () => resolve()));
    setTimeout(() => void this.worker.terminate(), 5000).unref();
    await this.tell("close");
    await exited;
  }
}
