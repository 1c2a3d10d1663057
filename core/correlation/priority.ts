import { severityRank, type Severity } from "../alarms/severity";

/** How an incident hurts one service. */
export interface ServiceHarm {
  /** Its own calls or figures say so; else it only relies on something unwell. */
  isHurt: boolean;
  severity: Severity;
}

/**
 * How urgent an incident is, 1 to 4, by who is really hurt: 1 where a service is hurt critically or three are, 2 where
 * one is hurt, 3 where a service relies on something unwell, 4 where none does.
 */
export function priorityOf(services: readonly ServiceHarm[]): 1 | 2 | 3 | 4 {
  const hurt = services.filter((one) => one.isHurt);
  if (hurt.length >= 3 || hurt.some((one) => severityRank(one.severity) >= severityRank("critical"))) return 1;
  if (hurt.length) return 2;
  return services.length ? 3 : 4;
}

/** What a priority means, in words. */
export const PRIORITY_WORDS: Readonly<Record<1 | 2 | 3 | 4, string>> = {
  1: "a service is down or badly hurt, or several are hurt",
  2: "a service is hurt",
  3: "services rely on it, none is hurt yet",
  4: "no service relies on it",
};
