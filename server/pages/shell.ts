import type { Db } from "../store/database";
import { readHalt } from "../store/policies";
import { countAsking } from "../store/runs";
import { onCallNow } from "./on-call";

/** What stands in the frame of every page: who is on call, whether automatic acts are stopped, and how much waits for an answer. */
export const shellNow = (db: Db, { nowMs }: { nowMs: number }) => ({
  onCall: onCallNow(db, { nowMs }),
  halt: readHalt(db),
  asking: countAsking(db),
});
