import { expect, it } from "vitest";
import { SEVERITIES, severityRank, SYSLOG_SEVERITY, worstSeverity } from "#core/alarms/severity";

// Source: RFC 8632 §4.2 (perceived severities of ITU-T X.733) gives their order.
it("orders severities as RFC 8632 does", () => {
  expect([...SEVERITIES].sort((a, b) => severityRank(b) - severityRank(a))).toEqual([
    "critical",
    "major",
    "minor",
    "warning",
    "indeterminate",
    "cleared",
  ]);
  expect(worstSeverity(["warning", "critical", "major"])).toBe("critical");
  expect(worstSeverity([])).toBe("cleared");
});

// Source: RFC 5674 §3, table 2, from memory: alert, critical, error, warning, notice, notice.
it("translates them to syslog as RFC 5674 does", () => {
  expect(SYSLOG_SEVERITY).toEqual({ critical: 1, major: 2, minor: 3, warning: 4, indeterminate: 5, cleared: 5 });
});
