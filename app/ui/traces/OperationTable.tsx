import type { ReactNode } from "react";
import { formatValue } from "#core/units/format";
import { KeepLink } from "../KeepLink";
import { PlainTable } from "../PlainTable";
import { Rows } from "../Rows";
import { percent, whole } from "./page";

/** An operation with how often it was called, how often it failed and how long it took, in milliseconds. */
export interface OperationRow {
  id: number;
  name: string;
  sender: string;
  componentId: number | null;
  kind?: string;
  calls: number;
  failed: number;
  p50: number | null;
  p95: number | null;
  p99: number | null;
}

/** Failures above this share of the calls stand out. */
const LOUD = 0.05;

/** Operations, a row each. */
export function OperationTable<Row extends OperationRow>({
  rows,
  chosen = null,
  children,
}: {
  rows: readonly Row[];
  /** The one that is opened. */
  chosen?: number | null;
  /** What stands for an operation and opens it. */
  children: (row: Row) => ReactNode;
}) {
  const kinds = rows.some((row) => row.kind !== undefined);
  return (
    <PlainTable aria-label="Operations" style={{ tableLayout: "fixed" }}>
      <thead>
        <tr>
          <th scope="col">Operation</th>
          <th scope="col">Component</th>
          {kinds ? (
            <th scope="col" style={{ width: 80 }}>
              Kind
            </th>
          ) : null}
          {["Calls", "Failed", "p50", "p95", "p99"].map((head) => (
            <th key={head} scope="col" className="num" style={{ width: head === "Calls" ? 76 : 82 }}>
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        <Rows rows={rows} columns={kinds ? 8 : 7}>
          {(row) => (
            <tr key={row.id} style={row.id === chosen ? { background: "var(--hx-raised)" } : undefined}>
              <td className="hx-wrap">{children(row)}</td>
              <td className="cut" title={row.sender}>
                {row.componentId === null ? (
                  row.sender
                ) : (
                  <KeepLink to={`/estate/${row.componentId}`}>{row.sender}</KeepLink>
                )}
              </td>
              {kinds ? <td>{row.kind}</td> : null}
              <td className="num">{whole(row.calls)}</td>
              <td
                className="num line"
                style={row.failed / row.calls > LOUD ? { color: "var(--hx-major)", fontWeight: 650 } : undefined}
              >
                {percent(row.failed, row.calls)}
              </td>
              <td className="num line">{formatValue(row.p50, "ms")}</td>
              <td className="num line">{formatValue(row.p95, "ms")}</td>
              <td className="num line">{formatValue(row.p99, "ms")}</td>
            </tr>
          )}
        </Rows>
      </tbody>
    </PlainTable>
  );
}
