/** Perceived severities of ITU-T X.733 and RFC 8632, worst first. */
export const SEVERITIES = ["critical", "major", "minor", "warning", "indeterminate", "cleared"] as const;
export type Severity = (typeof SEVERITIES)[number];

/** 5 for critical down to 0 for cleared. */
export function severityRank(severity: Severity): number {
  return SEVERITIES.length - 1 - SEVERITIES.indexOf(severity);
}

export function worstSeverity(severities: Iterable<Severity>): Severity {
  let worst: Severity = "cleared";
  for (const severity of severities) if (severityRank(severity) > severityRank(worst)) worst = severity;
  return worst;
}

/** Severity of the syslog protocol for an alarm severity (RFC 5674 §3, table 2; from memory). */
export const SYSLOG_SEVERITY: Readonly<Record<Severity, number>> = {
  critical: 1,
  major: 2,
  minor: 3,
  warning: 4,
  indeterminate: 5,
  cleared: 5,
};
