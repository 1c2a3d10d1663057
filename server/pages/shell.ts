import type { Db } from "../store/database";
import { blindAttemptOf } from "../store/drills";
import { readHalt } from "../store/policies";
import { countAsking } from "../store/runs";
import { onCallNow } from "./on-call";
import { trayPage } from "./setup";
import { ribbon } from "./watch";

export interface ShellQuestion {
  nowMs: number;
  /** Who looks. */
  by: string;
  ribbon: { fromMs: number; toMs: number; steps: number };
  hasDrills: boolean;
}

/**
 * What stands in the frame of every page: the ribbon, the tray, who is on call, whether automatic acts are stopped, how
 * much waits for an answer, and the drill under way. One question, for every move inside the application asks it.
 */
export const shellNow = (db: Db, { nowMs, by, ribbon: asked, hasDrills }: ShellQuestion) => ({
  ribbon: ribbon(db, asked),
  tray: trayPage(db, { by, nowMs }),
  onCall: onCallNow(db, { nowMs }),
  halt: readHalt(db),
  asking: countAsking(db),
  practice: hasDrills ? (blindAttemptOf(db, by)?.id ?? null) : null,
});
