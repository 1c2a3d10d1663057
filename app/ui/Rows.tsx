import { startTransition, useEffect, useState, type ReactNode } from "react";
import { whenIdle } from "./idle";

/** Rows of a list that are made with the page; about what a large window shows. */
const AT_ONCE = 25;
/** Height of a row of one line, in pixels. */
const ROW = 29;

/**
 * The rows of a long table. Those in sight come with the page and the others in the next quiet moment, so that a page does not
 * wait for what is further down; until then their room is kept, so that nothing moves.
 */
export function Rows<Row>({
  rows,
  columns,
  children,
}: {
  rows: readonly Row[];
  columns: number;
  children: (row: Row) => ReactNode;
}) {
  const [all, setAll] = useState(rows.length <= AT_ONCE);
  useEffect(() => (all ? undefined : whenIdle(() => startTransition(() => setAll(true)))), [all]);
  const made = all ? rows.length : Math.min(rows.length, AT_ONCE);
  return (
    <>
      {rows.slice(0, made).map(children)}
      {made < rows.length ? (
        <tr aria-hidden="true" style={{ height: (rows.length - made) * ROW }}>
          <td colSpan={columns}>…</td>
        </tr>
      ) : null}
    </>
  );
}
