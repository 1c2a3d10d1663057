import { workerData } from "node:worker_threads";
import { questions, type QuestionName } from "../pages/registry";
import { readKits } from "../kits/kits";
import { openStore, type Db } from "../store/database";

let db: Db | undefined;

/** A thread of the reading pool: one read-only connection, one question at a time. */
export default function answerQuestion({ name, asked }: { name: QuestionName; asked: unknown }): unknown {
  if (!db) {
    const { file, root } = workerData as { file: string; root: string };
    readKits(root);
    db = openStore(file, "reader");
  }
  const question = questions[name] as (db: Db, asked: unknown) => unknown;
  return question(db, asked);
}
