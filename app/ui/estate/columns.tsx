import type { ReactNode } from "react";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime } from "#core/time/windows";
import type { EstateRow } from "#server/store/estate-list";
import type { SORTS } from "../../shell/estate-filter";
import { SeverityLabel } from "../SeverityMark";

export interface Column {
  name: string;
  width?: string;
  /** Set where the list can be sorted by it. */
  sort?: (typeof SORTS)[number];
  cell: (row: EstateRow, nowMs: number) => ReactNode;
}

/** A label of a row, from all of them as they are shown. */
const labelOf = (name: string) => (row: EstateRow) =>
  (row.labels ?? "")
    .split(", ")
    .flatMap((one) => (one.startsWith(`${name}: `) ? [one.slice(name.length + 2)] : []))
    .join(", ") || "–";

/** Columns by what stands for them in the address; facts are "fact:" and their name. */
const COLUMNS: Readonly<Record<string, Column>> = {
  kind: { name: "Kind", sort: "kind", cell: (row) => kindInfo(row.kind).label },
  site: { name: "Site", sort: "site", cell: (row) => row.site },
  address: { name: "Address", sort: "address", cell: (row) => row.address ?? "" },
  services: { name: "Services", width: "15%", cell: (row) => row.services ?? "–" },
  labels: { name: "Labels", width: "15%", cell: (row) => row.labels ?? "–" },
  owner: { name: "Owner", cell: labelOf("owner") },
  environment: { name: "Environment", cell: labelOf("environment") },
  tier: { name: "Tier", cell: labelOf("tier") },
  tag: { name: "Tags", cell: labelOf("tag") },
  severity: { name: "Health", sort: "severity", cell: (row) => <SeverityLabel severity={row.severity} /> },
  lastSeenAt: { name: "Last seen", sort: "lastSeenAt", cell: (row, nowMs) => dayAndTime(row.lastSeenAt, nowMs) },
};

export const BUILT_IN = Object.keys(COLUMNS);

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

export function columnOf(id: string): Column {
  const fact = id.startsWith("fact:") ? id.slice("fact:".length) : undefined;
  if (fact !== undefined) return { name: capital(fact), cell: (row) => row.facts[fact] ?? "–" };
  return COLUMNS[id] ?? { name: capital(id), cell: () => "" };
}
