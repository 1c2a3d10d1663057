import { parentPort, workerData, type MessagePort } from "node:worker_threads";
import { Engine } from "../engine/engine";
import type { Settings } from "../settings";
import { PersonError, storeProblem } from "../store/database";
import type { EngineCall, EngineReply } from "./engine-client";

const port = parentPort;
if (!port) throw new Error("The engine runs on a worker thread.");
const send = (message: EngineReply) => port.postMessage(message);

let engine: Engine | undefined;

const sentenceOf = (error: unknown): string | undefined =>
  error instanceof PersonError ? error.message : storeProblem(error);

// A fault in one piece of work must not end the whole: it is told to the log, and trouble with the disk to people.
const survive = (error: unknown) => {
  const problem = storeProblem(error);
  if (problem) engine?.reportProblem(problem);
  send({ kind: "fault", fault: error instanceof Error ? (error.stack ?? error.message) : String(error) });
};
process.on("uncaughtException", survive);
process.on("unhandledRejection", survive);

try {
  engine = new Engine(workerData as Settings, (event) => send({ kind: "event", event }), survive);
  await engine.prepare((text) => send({ kind: "progress", text }));
  engine.start();
  send({ kind: "ready" });
} catch (error) {
  send({
    kind: "refused",
    message:
      sentenceOf(error) ??
      `The engine cannot start: ${error instanceof Error ? (error.stack ?? error.message) : error}`,
  });
}

port.on("message", async (call: EngineCall | { attach: MessagePort }) => {
  if (!engine) return;
  if ("attach" in call) return engine.attach(call.attach);
  try {
    const method = engine[call.name] as (...args: unknown[]) => unknown;
    const value = await method.apply(engine, call.args);
    send({ kind: "reply", id: call.id, value });
  } catch (error) {
    const message = sentenceOf(error);
    const fields = error instanceof PersonError ? error.fields : undefined;
    const problem = message === undefined ? undefined : { message, fields };
    send({
      kind: "failure",
      id: call.id,
      problem,
      fault: problem ? undefined : error instanceof Error ? (error.stack ?? error.message) : String(error),
    });
  }
  if (call.name === "close") port.close();
});
