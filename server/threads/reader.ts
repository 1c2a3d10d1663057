import { workerData } from "node:worker_threads";
import { questions, type QuestionName } from "../pages/registry";
import { openStore, type Db } from "../store/database";

let db: Db | undefined;

/** A thread of the reading pool: one read-only connection, one question at a time. */
export default function answerQuestion({ name, asked }: { name: QuestionName; asked: unknown }): unknown {
  db ??= openStore((workerData as { file: string }).file, "reader");
  const question = questions[name] as (db: Db, asked: unknown) => unknown;
  return question(db, asked);
}
