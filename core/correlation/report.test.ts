import { describe, expect, it } from "vitest";
import { likeness, mostAlike, type Signature } from "./likeness";
import { priorityOf } from "./priority";
import { reportHtml, reportMarkdown, type ReportFacts } from "./report";

const AT = Date.parse("2026-03-17T10:00:00Z");
const facts: ReportFacts = {
  id: 7,
  title: "Gate <b>Appointments</b>: *slow*",
  state: "resolved",
  sentence: "On app-1: calls are slow.",
  priority: 2,
  priorityReason: "a service is hurt",
  openedMs: AT,
  resolvedMs: AT + 600_000,
  takenBy: "Anna",
  causes: [{ name: "db-1", probability: 0.812, isRoot: true, reasons: ["explains all 3 others", "began first"] }],
  confirmed: null,
  harm: [{ service: "Gate", isHurt: true, sinceMs: AT, calls: 200, failed: 12 }],
  alarms: [{ subject: "app-1", text: "slow", severity: "major", raisedMs: AT, clearedMs: null }],
  changes: [],
  timeline: [{ atMs: AT, text: "Opened <script>", by: "Holotaxis" }],
  runs: [],
  evidence: [],
};

describe("a report", () => {
  it("says when, who, why and what, and leaves out what there is nothing of", () => {
    const text = reportMarkdown(facts);
    expect(text).toContain("Opened 2026-03-17 10:00:00 UTC, resolved 2026-03-17 10:10:00 UTC after 10 min.");
    expect(text).toContain("db-1 (81 %): explains all 3 others; began first.");
    expect(text).toContain("12 of 200 calls failed");
    expect(text).not.toContain("Changes just before");
    expect(reportMarkdown({ ...facts, confirmed: { name: "db-2", remark: "it was the disk", by: "Anna" } })).toContain(
      "db-2, as Anna confirmed: it was the disk.",
    );
  });
  it("takes what came from outside as text, in Markdown and in HTML", () => {
    expect(reportMarkdown(facts)).toContain("Gate \\<b\\>Appointments\\</b\\>: \\*slow\\*");
    const page = reportHtml(facts);
    expect(page).toContain("Gate &lt;b&gt;Appointments&lt;/b&gt;: *slow*");
    expect(page).not.toContain("<script>");
  });
});

describe("likeness of incidents", () => {
  const signature = (exact: string[], kinds: string[] = []): Signature => ({
    exact: new Set(exact),
    kinds: new Set(kinds),
  });
  it("is 1 for the same, 0 for nothing in common, and the same both ways", () => {
    const a = signature(["x slow", "y busy"], ["web slow"]);
    const b = signature(["x slow"], ["web slow", "db full"]);
    expect(likeness(a, a)).toBe(1);
    expect(likeness(a, signature(["z down"], ["switch down"]))).toBe(0);
    expect(likeness(a, b)).toBeCloseTo(likeness(b, a), 12);
    expect(likeness(a, b)).toBeCloseTo(0.7 / 2 + 0.3 / 2, 12);
  });
  it("gives the most alike, and of equals the later", () => {
    const own = signature(["x slow"]);
    const past = [
      { openedMs: 1, signature: signature(["x slow"]) },
      { openedMs: 2, signature: signature(["x slow"]) },
      { openedMs: 3, signature: signature(["q down"]) },
    ];
    expect(mostAlike(own, past).map((one) => one.openedMs)).toEqual([2, 1]);
  });
});

it("priority follows from who is really hurt", () => {
  const hurt = (severity: "minor" | "critical") => ({ isHurt: true, severity }) as const;
  const relies = { isHurt: false, severity: "critical" } as const;
  expect(priorityOf([])).toBe(4);
  expect(priorityOf([relies, relies])).toBe(3);
  expect(priorityOf([hurt("minor"), relies])).toBe(2);
  expect(priorityOf([hurt("critical")])).toBe(1);
  expect(priorityOf([hurt("minor"), hurt("minor"), hurt("minor")])).toBe(1);
});
