import { prepared, type Db } from "./database";

/** Pages whose views can be kept. */
export const VIEWED_PAGES = ["map", "incidents"] as const;
export type ViewedPage = (typeof VIEWED_PAGES)[number];

export interface SavedView {
  id: number;
  page: ViewedPage;
  name: string;
  /** Of the address, without the window. */
  query: string;
  madeBy: string;
  shared: boolean;
}

type Row = Omit<SavedView, "shared"> & { shared: number };

const SELECT = "SELECT id, page, name, query, made_by AS madeBy, shared FROM saved_view";
const toView = (row: Row): SavedView => ({ ...row, shared: row.shared === 1 });

/** Views of a page that somebody made, and those that others share. */
export const savedViews = (db: Db, page: ViewedPage, who: string): SavedView[] =>
  prepared<Row>(db, `${SELECT} WHERE page = ? AND (made_by = ? OR shared = 1) ORDER BY name, id`)
    .all(page, who)
    .map(toView);

export const savedView = (db: Db, id: number): SavedView | undefined => {
  const row = prepared<Row>(db, `${SELECT} WHERE id = ?`).get(id);
  return row && toView(row);
};

export const countSavedViews = (db: Db, page: ViewedPage, who: string): number =>
  prepared<{ n: number }>(db, "SELECT count(*) AS n FROM saved_view WHERE page = ? AND made_by = ?").get(page, who)
    ?.n ?? 0;

/** Keeps a view; one of the same name of the same page by the same person is replaced. */
export function saveView(db: Db, view: Omit<SavedView, "id">, atMs: number): void {
  prepared(
    db,
    `INSERT INTO saved_view (page, name, query, made_by, shared, at) VALUES (?, ?, ?, ?, ?, ?)
     ON CONFLICT (page, made_by, name)
     DO UPDATE SET query = excluded.query, shared = excluded.shared, at = excluded.at`,
  ).run(view.page, view.name, view.query, view.madeBy, view.shared ? 1 : 0, atMs);
}

export const removeView = (db: Db, id: number): void =>
  void prepared(db, "DELETE FROM saved_view WHERE id = ?").run(id);
