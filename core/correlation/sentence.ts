import type { Severity } from "../alarms/severity";
import { lowerFirst } from "../catalogue/metrics";
import { clockTime, dayAndTime, spokenDuration } from "../time/windows";

export interface IncidentFacts {
  /** Services affected. */
  services: readonly string[];
  component: string;
  /** Text of the suspected alarm. */
  problem: string;
  openedMs: number;
  resolvedMs: number | null;
  nowMs: number;
  /** Process that used most memory when the alarm was raised, and its share of the host's memory. */
  leading?: { name: string; share: number };
  /** Virtual machine that takes most of a hypervisor's processors in use, and which share of them. */
  leadingGuest?: { name: string; processors: number; share: number } | undefined;
  /** Further services that rely on those affected. */
  relyingServices: readonly string[];
  alarmCount: number;
}

const list = (names: readonly string[]) =>
  names.length < 2 ? (names[0] ?? "") : `${names.slice(0, -1).join(", ")} and ${names.at(-1)}`;

/** What is wrong, since when, and who is affected, in one or two sentences. */
export function incidentSentence(facts: IncidentFacts): string {
  const since = dayAndTime(facts.openedMs, facts.nowMs);
  const span =
    facts.resolvedMs === null
      ? `since ${since}, ${spokenDuration(facts.nowMs - facts.openedMs)} so far`
      : `from ${since} to ${clockTime(facts.resolvedMs)}, ${spokenDuration(facts.resolvedMs - facts.openedMs)} in all`;
  const leading =
    facts.leading && facts.leading.share >= 0.2
      ? `; ${facts.leading.name} alone held ${Math.round(facts.leading.share * 100)} % of its memory`
      : "";
  const guest =
    facts.leadingGuest && facts.leadingGuest.share >= 0.3
      ? `; ${facts.leadingGuest.name} uses ${Math.round(facts.leadingGuest.share * 100)} % of the CPU that its virtual machines use`
      : "";
  const wrong = `On ${facts.component}: ${lowerFirst(facts.problem)} (${span})${leading}${guest}.`;
  const many = facts.services.length > 1;
  const verb = facts.resolvedMs === null ? (many ? "are" : "is") : many ? "were" : "was";
  const them = many ? "them" : "it";
  const who = facts.services.length
    ? ` ${list(facts.services)} ${verb} affected${facts.relyingServices.length ? `; ${list(facts.relyingServices)} ${facts.relyingServices.length === 1 ? "relies" : "rely"} on ${them}` : `, and no other service relies on ${them}`}.`
    : " No service is known to rely on it.";
  return wrong + who;
}

export interface WatchFacts {
  organisation: string;
  unwell: { name: string; severity: Severity }[];
  openIncidents: { title: string; severity: Severity }[];
  serviceCount: number;
  componentCount: number;
  warnings: number;
}

/** The state of the whole estate in words. */
export function watchSentence(facts: WatchFacts): string {
  if (facts.componentCount === 0) return "Nothing is monitored yet. Go to Discover, add a source and start a sweep.";
  const serious = facts.unwell.filter(
    (service) => service.severity !== "warning" && service.severity !== "indeterminate",
  );
  const mild = facts.unwell.length - serious.length;
  if (facts.openIncidents.length === 0) {
    const warned =
      mild || facts.warnings
        ? ` ${facts.warnings} ${facts.warnings === 1 ? "component is" : "components are"} past a warning limit.`
        : "";
    return `${facts.organisation} runs as it should: ${facts.serviceCount} services on ${facts.componentCount} components, no open incident.${warned}`;
  }
  const first = facts.openIncidents[0];
  const count = facts.openIncidents.length;
  return `${serious.length ? `${list(serious.map((service) => service.name))} ${serious.length === 1 ? "is" : "are"} in trouble` : "Something needs attention"}: ${count} open ${count === 1 ? "incident" : "incidents"}${first ? `, the worst “${first.title}”` : ""}. ${facts.serviceCount - facts.unwell.length} of ${facts.serviceCount} services are healthy.`;
}
