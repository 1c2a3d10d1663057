import type { Severity } from "#core/alarms/severity";
import type { Arranged, Group, Tally, Trait } from "#core/topology/arrange";
import { tally } from "#core/topology/arrange";
import type { Attribute } from "#core/topology/attributes";
import { componentsById, type ComponentRow } from "../../store/estate";
import type { ServiceRow } from "../../store/services";
import type { DifferenceMark } from "./marks";
import type { At, Shown } from "./scope";
import { healthTrait, layerTrait, traitReader } from "./traits";

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
  /** How it differs from the beginning of the window, while differences are marked. */
  mark?: DifferenceMark | undefined;
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

type Unplaced = Omit<MapCard, "x" | "y" | "found" | "mark">;

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
