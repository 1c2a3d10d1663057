import type { Db } from "../store/database";
import { readHalt } from "../store/policies";
import { onCallNow } from "./on-call";

/** What stands in the frame of every page: who is on call, and whether automatic acts are stopped. */
export const shellNow = (db: Db, { nowMs }: { nowMs: number }) => ({
  onCall: onCallNow(db, { nowMs }),
  halt: readHalt(db),
});
