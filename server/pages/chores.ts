import { allKinds } from "#core/catalogue/kinds";
import { describedMetrics } from "#core/catalogue/metrics";
import { roundWords } from "#core/repair/round";
import { triggerWords } from "#core/repair/triggers/registry";
import { choreById, itemsOfRound, listChores, roundsOf, type RoundRow } from "../store/chores";
import type { Db } from "../store/database";
import { sitesKnown } from "../store/estate";
import { collections } from "../store/labels";
import { readHalt } from "../store/policies";
import { listRunbooks, runbookByUid } from "../store/runbooks";
import { runById } from "../store/runs";
import { listServices } from "../store/services";

const SHOWN_ROUNDS = 20;
const SHOWN_ITEMS = 200;

/** What a round came to, in words: how many of its items are how far. */
function outcomeOf(db: Db, round: RoundRow): string {
  if (round.words) return round.words;
  const items = itemsOfRound(db, round.id);
  return round.state === "watched" || round.state === "asking"
    ? `${items.length} due`
    : roundWords(items.map((one) => one.state));
}

export function choresPage(db: Db) {
  return {
    halt: readHalt(db),
    chores: listChores(db).map((chore) => {
      const { name, isOn, level, trigger, runbook } = chore.definition;
      const [last] = roundsOf(db, chore.id, 1);
      return {
        id: chore.id,
        name,
        isOn,
        level,
        when: triggerWords(trigger),
        runbookName: runbookByUid(db, runbook)?.name ?? runbook,
        nextAt: isOn ? chore.next_at : null,
        fellBackWhy: chore.fell_back_why,
        last: last ? { at: last.due_at, state: last.state, words: outcomeOf(db, last) } : null,
      };
    }),
  };
}

export function chorePage(db: Db, { id }: { id: number | null }) {
  const chore = id === null ? undefined : choreById(db, id);
  if (id !== null && !chore) return null;
  return {
    id,
    chore: chore?.definition ?? null,
    nextAt: chore?.next_at ?? null,
    fellBackAt: chore?.fell_back_at ?? null,
    fellBackWhy: chore?.fell_back_why ?? "",
    runbooks: listRunbooks(db)
      .filter((one) => one.state === "approved")
      .map(({ id: runbookId, uid, name, definition }) => ({
        id: runbookId,
        uid,
        name,
        kinds: definition.kinds,
        parameters: definition.parameters.map(({ name: parameter, label }) => ({ name: parameter, label })),
      })),
    services: listServices(db).map(({ uid, name }) => ({ uid, name })),
    sites: sitesKnown(db),
    kinds: [...allKinds()].map(([kind, info]) => ({ kind, label: info.label })),
    metrics: [...describedMetrics()].map(({ metric, label, unit }) => ({ metric, label, unit })),
    collections: collections(db).map((one) => one.name),
    rounds: chore
      ? roundsOf(db, chore.id, SHOWN_ROUNDS).map((round, index) => ({
          ...round,
          outcome: outcomeOf(db, round),
          // The items of the newest one only: the runs of the others are on record.
          items:
            index > 0 && round.ended_at !== null
              ? []
              : itemsOfRound(db, round.id)
                  .slice(0, SHOWN_ITEMS)
                  .map((item) => ({
                    ...item,
                    proof: item.run_id === null ? null : (runById(db, item.run_id)?.proof ?? null),
                  })),
        }))
      : [],
  };
}
