/** A result of SQL that can be drawn: lines over time. */
export interface SqlLine {
  label: string;
  points: [atMs: number, value: number][];
}

type Cell = string | number | null;

const isInstant = (cell: Cell): boolean => typeof cell === "string" && /^\d{4}-\d\d-\d\d[T ]\d\d(:\d\d|$)/.test(cell);
const MOST_LINES = 24;

/**
 * Makes lines of rows: the first column of instants is the time, every column of numbers a line, told apart further by
 * the first column of words, if there is one. Undefined when there is no time, no number, or fewer than two instants.
 */
export function linesOfRows(columns: readonly string[], rows: readonly (readonly Cell[])[]): SqlLine[] | undefined {
  const filled = (column: number) => rows.map((row) => row[column] as Cell).filter((cell) => cell !== null);
  const every = (column: number, test: (cell: Cell) => boolean) => {
    const cells = filled(column);
    return cells.length > 0 && cells.every(test);
  };
  const time = columns.findIndex((_, column) => every(column, isInstant));
  if (time < 0) return undefined;
  const numbers = columns.flatMap((_, column) => (every(column, (cell) => typeof cell === "number") ? [column] : []));
  const words = columns.findIndex(
    (_, column) => column !== time && every(column, (cell) => typeof cell === "string" && !isInstant(cell)),
  );
  const lines = new Map<string, SqlLine>();
  for (const row of rows) {
    const text = row[time];
    if (typeof text !== "string") continue;
    const atMs = Date.parse(
      /[zZ]|[+-]\d\d:?\d\d$/.test(text) ? text : `${text.replace(" ", "T")}${text.length === 13 ? ":00" : ""}Z`,
    );
    if (Number.isNaN(atMs)) continue;
    for (const column of numbers) {
      const value = row[column];
      if (typeof value !== "number") continue;
      const label = [
        words < 0 ? undefined : (row[words] ?? "none"),
        numbers.length > 1 || words < 0 ? columns[column] : undefined,
      ]
        .filter((part) => part !== undefined)
        .join(" · ");
      let line = lines.get(label);
      if (!line) {
        if (lines.size >= MOST_LINES) continue;
        lines.set(label, (line = { label, points: [] }));
      }
      line.points.push([atMs, value]);
    }
  }
  const result = [...lines.values()].map((line) => ({ ...line, points: line.points.sort((a, b) => a[0] - b[0]) }));
  return result.some((line) => line.points.length > 1) ? result : undefined;
}
