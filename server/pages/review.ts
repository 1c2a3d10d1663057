import type { Db } from "../store/database";
import { differences } from "../store/differences";
import { unreviewed, unreviewedCount } from "../store/review";

const SHOWN = 200;

export const reviewPage = (db: Db, _asked: object) => ({ hosts: unreviewed(db, SHOWN), total: unreviewedCount(db) });

/** In what the estate differs between two instants. */
export const differencesPage = (db: Db, asked: { fromMs: number; toMs: number; search: string }) =>
  differences(db, asked);
