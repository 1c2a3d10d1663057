import type { LayWorld } from "#core/repair/lay-out";
import type { EachStep } from "#core/repair/steps/registry";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { idsFitting } from "../store/estate-list";
import { collections, filterOfCollection } from "../store/labels";
import { approvedRunbooks } from "../store/runbooks";
import { standIns } from "./stand-ins";
import { wordsOfTarget } from "./walk";

/** What laying out a run asks of the estate as it is now. */
export function layWorld(db: Db, targets: readonly number[], nowMs: number): LayWorld {
  const over = (step: EachStep, targetId: number): number[] => {
    if (step.over === "targets") return [...targets];
    if (step.over === "collection") {
      const collection = collections(db).find((one) => one.name === step.collection);
      return collection ? idsFitting(db, { ...filterOfCollection(collection.filter), atMs: nowMs }) : [];
    }
    const target = componentById(db, targetId);
    const others = target ? standIns(db, target, nowMs).map((one) => one.id) : [];
    return step.over === "set" ? [targetId, ...others] : others;
  };
  return {
    runbook: (uid) => approvedRunbooks(db).find((one) => one.uid === uid)?.definition,
    over,
    wordsOf: (id) => {
      const target = componentById(db, id);
      return wordsOfTarget(target, target?.host_id == null ? undefined : componentById(db, target.host_id));
    },
  };
}
