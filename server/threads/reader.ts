import { workerData } from "node:worker_threads";
import { questions } from "../pages/registry";
import type { Question, Reply } from "../http/gather";
import { readKits } from "../kits/kits";
import { openStore, type Db } from "../store/database";

let db: Db | undefined;

/** A thread of the reading pool: one read-only connection, one question after another. */
export default function answerQuestions(some: readonly Question[]): Reply[] {
  return some.map((one) => {
    try {
      return { ok: true, value: answer(one) };
    } catch (error) {
      return { ok: false, error };
    }
  });
}

function answer({ name, asked }: Question): unknown {
  if (!db) {
    const { file, root } = workerData as { file: string; root: string };
    readKits(root);
    db = openStore(file, "reader");
  }
  const question = questions[name] as (db: Db, asked: unknown) => unknown;
  return question(db, asked);
}
