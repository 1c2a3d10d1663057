import { iso } from "../../shell/window";
import type { Answer } from "#server/pages/registry";

/** Everything about an incident, as its page shows it. */
export type IncidentData = NonNullable<Answer<"incident">>;

/** The incident's own window, as parts of an address: what is opened from here shows how it was then. */
export const spanOf = ({ fromMs, toMs }: { fromMs: number; toMs: number }): string =>
  new URLSearchParams({ from: iso(fromMs), to: iso(toMs) }).toString();

/** The page of an incident as it was at an instant, to the millisecond: what happened at it counts. */
export const asItWas = (id: number, atMs: number): string => `/incidents/${id}/then?at=${new Date(atMs).toISOString()}`;

/** A runbook with what the incident already tells it. */
export const prefilled = ({ incident }: IncidentData, runbook: IncidentData["runbooks"][number]): string =>
  `/runbooks/${runbook.id}?${new URLSearchParams({
    target: String(runbook.targetId),
    incident: String(incident.id),
    ...Object.fromEntries(Object.entries(runbook.args).map(([name, value]) => [`arg.${name}`, value])),
  }).toString()}`;

const BEFORE_MS = 60 * 60_000;

/** A page as it was just before the incident began, over the hour before that. */
export function justBefore({ beganMs: began }: IncidentData, to: string): string {
  return `${to}${to.includes("?") ? "&" : "?"}${spanOf({ fromMs: began - BEFORE_MS, toMs: began - 1000 })}`;
}
