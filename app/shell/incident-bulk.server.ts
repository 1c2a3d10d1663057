import type { AppLoadContext } from "react-router";
import { act } from "./answers.server";

const MOST = 100;

/** What became of what was done to many incidents at once. */
export interface BulkAnswer {
  said: string;
  /** What was refused, each with its reason. */
  refused: string[];
}

/** Does what a form asks to each of the incidents that were chosen; one that is refused holds up no other. */
export async function actOnMany(context: Pick<AppLoadContext, "command">, form: FormData): Promise<BulkAnswer> {
  const ids = [...new Set(form.getAll("incident").map(Number))].filter((id) => Number.isInteger(id) && id > 0);
  const what = String(form.get("intent") ?? "");
  if (ids.length === 0) return { said: "", refused: ["Choose incidents first."] };
  if (ids.length > MOST) return { said: "", refused: [`At most ${MOST} incidents at once; ${ids.length} are chosen.`] };
  if (what === "merge") return mergeAll(context, ids);
  const to = String(form.get("to") ?? "");
  if (what === "handover" && !to) return { said: "", refused: ["Choose to whom they are handed over."] };
  if (what !== "handover" && what !== "take") return { said: "", refused: ["Choose what is to be done with them."] };
  return eachOf(ids, what === "handover" ? `handed over to ${to}` : "taken", (id) =>
    what === "handover"
      ? act(context, "incident.handover", { id, to, remark: String(form.get("remark") ?? "").slice(0, 2000) })
      : act(context, "incident.take", { id }),
  );
}

/** The oldest is the one that the others belong to. */
function mergeAll(context: Pick<AppLoadContext, "command">, ids: readonly number[]): Promise<BulkAnswer> {
  const [into, ...others] = [...ids].sort((a, b) => a - b) as [number, ...number[]];
  if (others.length === 0) return Promise.resolve({ said: "", refused: ["Choose two incidents or more to merge."] });
  return eachOf(others, `merged into incident ${into}`, (id) => act(context, "incident.merge", { id, into }));
}

async function eachOf(
  ids: readonly number[],
  words: string,
  run: (id: number) => Promise<{ ok: true } | { ok: false; refusal: { data: { problem: string } } }>,
): Promise<BulkAnswer> {
  const refused: string[] = [];
  for (const id of ids) {
    const done = await run(id);
    if (!done.ok) refused.push(`Incident ${id}: ${done.refusal.data.problem}`);
  }
  const done = ids.length - refused.length;
  return { said: done ? `${done} ${done === 1 ? "incident" : "incidents"} ${words}.` : "", refused };
}
