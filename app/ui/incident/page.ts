import { iso } from "../../shell/window";
import type { Answer } from "#server/pages/registry";

/** Everything about an incident, as its page shows it. */
export type IncidentData = NonNullable<Answer<"incident">>;

/** The incident's own window, as parts of an address: what is opened from here shows how it was then. */
export const spanOf = ({ fromMs, toMs }: { fromMs: number; toMs: number }): string =>
  new URLSearchParams({ from: iso(fromMs), to: iso(toMs) }).toString();

/** A runbook with what the incident already tells it. */
export const prefilled = ({ incident, suspect }: IncidentData, runbook: IncidentData["runbooks"][number]): string =>
  `/runbooks/${runbook.id}?${new URLSearchParams({
    target: String(suspect?.componentId ?? ""),
    incident: String(incident.id),
    ...Object.fromEntries(Object.entries(runbook.args).map(([name, value]) => [`arg.${name}`, value])),
  }).toString()}`;
