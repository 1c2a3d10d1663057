import type { Standing } from "#core/changes/judge";
import { withTickets } from "../changes/with-tickets";
import { changesIn } from "../store/changes";
import type { Db } from "../store/database";
import { hasTickets } from "../store/tickets";

export const STANDINGS = ["planned", "outside", "more", "none"] as const satisfies readonly Standing[];

export interface ChangesQuestion {
  fromMs: number;
  toMs: number;
  atMs: number;
  text: string;
  kind: string;
  /** Only those of a standing; empty for all. */
  standing: Standing | "";
  most: number;
}

/** More changes than this are not looked through. */
const MOST_READ = 20_000;
/** Changes of a window with their tickets: planned, outside their window, more than the ticket says, or without. */
export function changesPage(db: Db, question: ChangesQuestion) {
  const { fromMs, toMs, standing } = question;
  const words = question.text.toLowerCase().split(/\s+/).filter(Boolean);
  const rows = changesIn(db, fromMs, toMs, MOST_READ);
  const fitting = rows.filter(
    (row) =>
      (!question.kind || row.kind === question.kind) &&
      words.every((word) =>
        `${row.component ?? ""} ${row.summary} ${row.by_whom} ${row.ticket ?? ""}`.toLowerCase().includes(word),
      ),
  );
  const judged = withTickets(db, fitting, question.atMs);
  const counts = Object.fromEntries(
    STANDINGS.map((one) => [one, judged.filter((line) => line.standing === one).length]),
  ) as Record<Standing, number>;
  const shown = standing ? judged.filter((line) => line.standing === standing) : judged;
  return {
    lines: shown.slice(0, question.most),
    total: shown.length,
    all: judged.length,
    counts,
    kinds: [...new Set(rows.map((row) => row.kind))].sort(),
    hasTickets: hasTickets(db),
    isCut: rows.length === MOST_READ,
  };
}
