import type { EstateRow } from "#server/store/estate-list";
import { columnsOf, type Asked } from "../../shell/estate-filter";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { KindGlyph } from "../KindGlyph";
import { Empty } from "../Page";
import { PlainTable } from "../PlainTable";
import { Rows } from "../Rows";
import { columnOf, type Column } from "./columns";

/** Components that fit, in the columns that were chosen. */
export function Components({
  rows,
  asked,
  chosen,
  onChoose,
  onSort,
  empty,
}: {
  rows: readonly EstateRow[];
  asked: Asked;
  chosen: readonly number[];
  onChoose: (ids: readonly number[]) => void;
  onSort: (field: string) => void;
  empty: string;
}) {
  const { window: now } = useShell();
  const columns = columnsOf(asked).map((id) => ({ id, ...columnOf(id) }));
  return (
    <div className="hx-section">
      <PlainTable aria-label="Components" style={{ tableLayout: "fixed" }}>
        <thead>
          <tr>
            <th scope="col" style={{ width: 34 }}>
              <input
                type="checkbox"
                aria-label="All on this page"
                checked={rows.length > 0 && rows.every((row) => chosen.includes(row.id))}
                onChange={(event) => onChoose(event.target.checked ? rows.map((row) => row.id) : [])}
              />
            </th>
            <Head
              column={{ name: "Component", sort: "name", width: "20%", cell: () => "" }}
              asked={asked}
              onSort={onSort}
            />
            {columns.map((column) => (
              <Head key={column.id} column={column} asked={asked} onSort={onSort} />
            ))}
          </tr>
        </thead>
        <tbody>
          <Rows rows={rows} columns={columns.length + 2}>
            {(row) => (
              <Line
                key={row.id}
                row={row}
                columns={columns}
                ticked={chosen.includes(row.id)}
                onTick={(on) => onChoose(on ? [...chosen, row.id] : chosen.filter((id) => id !== row.id))}
                nowMs={now.nowMs}
              />
            )}
          </Rows>
        </tbody>
      </PlainTable>
      {rows.length === 0 ? (
        <div className="hx-pad">
          <Empty>{empty}</Empty>
        </div>
      ) : null}
    </div>
  );
}

function Line({
  row,
  columns,
  ticked,
  onTick,
  nowMs,
}: {
  row: EstateRow;
  columns: readonly (Column & { id: string })[];
  ticked: boolean;
  onTick: (on: boolean) => void;
  nowMs: number;
}) {
  return (
    <tr>
      <td>
        <input
          type="checkbox"
          aria-label={row.name}
          checked={ticked}
          onChange={(event) => onTick(event.target.checked)}
        />
      </td>
      <td>
        <span className="hx-row">
          <KindGlyph kind={row.kind} />
          <KeepLink to={`/estate/${row.id}`} clip>
            {row.name}
          </KeepLink>
        </span>
      </td>
      {columns.map((column) => {
        const cell = column.cell(row, nowMs);
        return (
          <td key={column.id} className="cut" title={typeof cell === "string" ? cell : undefined}>
            {cell}
          </td>
        );
      })}
    </tr>
  );
}

function Head({ column, asked, onSort }: { column: Column; asked: Asked; onSort: (field: string) => void }) {
  const { name, sort, width } = column;
  if (sort === undefined)
    return (
      <th scope="col" style={{ width }}>
        {name}
      </th>
    );
  const sorted = asked.sort === sort;
  return (
    <th
      scope="col"
      style={{ width }}
      aria-sort={sorted ? (asked.order === "asc" ? "ascending" : "descending") : "none"}
    >
      <button type="button" className="hx-sort" onClick={() => onSort(sort)}>
        {name}
        {sorted ? (asked.order === "asc" ? " ↑" : " ↓") : ""}
      </button>
    </th>
  );
}
