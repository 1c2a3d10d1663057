import type { Severity } from "#core/alarms/severity";
import { kindInfo, type KindInfo } from "#core/catalogue/kinds";
import type { Arranged, Group, Tally, Trait } from "#core/topology/arrange";
import { tally } from "#core/topology/arrange";
import type { Attribute } from "#core/topology/attributes";
import { MINUTE_MS } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { componentsById, type ComponentRow } from "../../store/estate";
import type { ServiceRow } from "../../store/services";
import { lastSample, seriesOfMetrics, seriesOfService } from "../../store/signals";
import type { At, Shown } from "./scope";
import { healthTrait, layerTrait, traitReader } from "./traits";

/** How old a figure on a card may be. */
const FIGURE_MS = 12 * MINUTE_MS;

/** A component or service with what a map needs to gather and to draw it. */
export interface Thing extends Arranged {
  severity: Severity;
  reason: string;
  row?: ComponentRow;
  service?: ServiceRow;
  name: string;
  sub: string;
  kind: string;
}

export interface MapCard {
  id: string;
  /** One of the three is set. */
  componentId: number | null;
  serviceUid: string | null;
  group: { key: string; attribute: string; isOpen: boolean; members: number; unwell: number; of: Tally["of"] } | null;
  name: string;
  sub: string;
  kind: string;
  severity: Severity;
  reason: string;
  figure: string;
  /** How many of what it stands for are found, while something is looked for. */
  found?: number;
  x: number;
  y: number;
}

export function thingsOf(at: At, shown: Shown, attributes: ReadonlySet<Attribute>, chosen?: string): Thing[] {
  const hosts = new Map(
    componentsById(at.db, new Set(shown.components.flatMap((row) => row.host_id ?? []))).map((row) => [row.id, row]),
  );
  const traitsOf = traitReader(at.db, attributes, at.services, hosts, at.atMs);
  return [
    ...shown.services.map((service): Thing => {
      const state = at.serviceHealth.get(service.id);
      const severity = state?.severity ?? "cleared";
      return {
        id: `s${service.id}`,
        severity,
        reason: state?.reason ?? "",
        service,
        name: service.name,
        sub: service.uid === chosen ? "this service" : "service",
        kind: "service",
        traits: new Map<string, Trait>([
          ["layer", layerTrait("services")],
          // Each by itself: services are what people look for first.
          ["kind", { value: `service ${service.uid}`, label: service.name }],
          ["health", healthTrait(severity)],
        ]),
      };
    }),
    ...shown.components.map((row): Thing => {
      const state = at.health.get(row.id);
      const severity = state?.severity ?? "cleared";
      return {
        id: `c${row.id}`,
        severity,
        reason: state?.reason ?? "",
        row,
        name: row.label ?? row.name,
        sub: hosts.get(row.host_id ?? 0)?.name ?? row.address ?? "",
        kind: row.kind,
        traits: traitsOf(row, severity),
      };
    }),
  ];
}

/** Headline figures of what is drawn by itself; a service's is its own. */
export function figuresOf({ db, atMs }: At, drawn: readonly Thing[]): (thing: Thing) => string {
  const rows = drawn.flatMap((thing) => thing.row ?? []);
  const measured = seriesOfMetrics(
    db,
    rows.map((row) => row.id),
    new Set(rows.flatMap((row) => kindInfo(row.kind).headline?.metric ?? [])),
  );
  const ofComponent = (id: number, { headline }: KindInfo): string => {
    const series = headline ? measured.get(id)?.get(headline.metric) : undefined;
    const last = series && lastSample(db, series.id, atMs, FIGURE_MS);
    return last && headline ? `${headline.word} ${formatValue(last.value, series.unit)}`.trim() : "";
  };
  return ({ row, service }) => {
    if (row) return ofComponent(row.id, kindInfo(row.kind));
    const series = service?.figure && seriesOfService(db, service.id);
    const last = series && lastSample(db, series.id, atMs, FIGURE_MS);
    return last && service?.figure ? formatValue(last.value, service.figure.unit) : "";
  };
}

type Unplaced = Omit<MapCard, "x" | "y" | "found">;

export const cardOf = (thing: Thing, figure: string): Unplaced => ({
  id: thing.id,
  componentId: thing.row?.id ?? null,
  serviceUid: thing.service?.uid ?? null,
  group: null,
  name: thing.name,
  sub: thing.sub,
  kind: thing.kind,
  severity: thing.severity,
  reason: thing.reason,
  figure,
});

/** "2 major, 1 warning": what a group's unwell members are. */
export const tallyText = (of: Tally["of"]): string => of.map(([severity, count]) => `${count} ${severity}`).join(", ");

export function groupCard(id: string, group: Group<Thing>, isOpen: boolean): Unplaced {
  const { members, unwell, worst, worstId, of } = tally(group.members);
  const kinds = new Set(group.members.map((one) => one.kind));
  const first = group.members.find((one) => one.id === worstId);
  return {
    id,
    componentId: null,
    serviceUid: null,
    group: { key: group.key, attribute: group.attribute, isOpen, members, unwell, of },
    name: group.label,
    sub: `${members.toLocaleString("en-GB")} ${members === 1 ? "component" : "components"}`,
    kind: kinds.size === 1 ? (group.members[0]?.kind ?? "") : "",
    severity: worst,
    reason: first ? `${first.name}: ${first.reason}` : "",
    figure: unwell ? tallyText(of) : "",
  };
}
