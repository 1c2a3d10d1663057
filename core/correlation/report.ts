import { spokenDuration } from "../time/windows";

/** Everything a report of an incident says. */
export interface ReportFacts {
  id: number;
  title: string;
  state: "open" | "resolved" | "merged";
  sentence: string;
  priority: number;
  priorityReason: string;
  openedMs: number;
  resolvedMs: number | null;
  takenBy: string | null;
  causes: readonly { name: string; probability: number; isRoot: boolean; reasons: readonly string[] }[];
  confirmed: { name: string; remark: string; by: string } | null;
  harm: readonly {
    service: string;
    isHurt: boolean;
    sinceMs: number | null;
    calls: number | null;
    failed: number | null;
  }[];
  alarms: readonly { subject: string; text: string; severity: string; raisedMs: number; clearedMs: number | null }[];
  changes: readonly { atMs: number; summary: string; by: string; ticket: string | null }[];
  timeline: readonly { atMs: number; text: string; by: string }[];
  runs: readonly { id: number; runbook: string; state: string; by: string; atMs: number }[];
  evidence: readonly { title: string; address: string }[];
}

const instant = (ms: number) => `${new Date(ms).toISOString().slice(0, 19).replace("T", " ")} UTC`;
const percent = (share: number) => `${Math.round(share * 100)} %`;

interface Part {
  heading: string;
  lines: readonly string[];
}

/** The parts of a report as headings with lines; what there is nothing of is left out. */
function partsOf(facts: ReportFacts): Part[] {
  const parts: Part[] = [
    {
      heading: "Summary",
      lines: [
        facts.sentence,
        `Priority ${facts.priority}: ${facts.priorityReason}.`,
        `Opened ${instant(facts.openedMs)}${facts.resolvedMs === null ? "" : `, resolved ${instant(facts.resolvedMs)} after ${spokenDuration(facts.resolvedMs - facts.openedMs)}`}.`,
        facts.takenBy === null ? "Nobody took it." : `With ${facts.takenBy}.`,
      ],
    },
    {
      heading: "Cause",
      lines: facts.confirmed
        ? [
            `${facts.confirmed.name}, as ${facts.confirmed.by} confirmed${facts.confirmed.remark ? `: ${facts.confirmed.remark}` : ""}.`,
          ]
        : facts.causes
            .filter((one) => one.isRoot)
            .map((one) => `${one.name} (${percent(one.probability)}): ${one.reasons.join("; ")}.`),
    },
    {
      heading: "Harm",
      lines: facts.harm.map(
        (one) =>
          `${one.service}: ${one.isHurt ? `hurt${one.sinceMs === null ? "" : ` since ${instant(one.sinceMs)}`}` : "relies on it, not hurt"}${one.calls === null ? "" : `; ${one.failed ?? 0} of ${one.calls} calls failed`}`,
      ),
    },
    {
      heading: "Changes just before",
      lines: facts.changes.map(
        (one) => `${instant(one.atMs)}: ${one.summary} (${one.by}; ${one.ticket ?? "without a ticket"})`,
      ),
    },
    {
      heading: "Alarms",
      lines: facts.alarms.map(
        (one) =>
          `${instant(one.raisedMs)}, ${one.severity}: ${one.subject}: ${one.text}${one.clearedMs === null ? "" : `; cleared ${instant(one.clearedMs)}`}`,
      ),
    },
    {
      heading: "What was done",
      lines: facts.runs.map(
        (one) => `${instant(one.atMs)}: run ${one.id} of “${one.runbook}” by ${one.by}: ${one.state}`,
      ),
    },
    { heading: "Evidence", lines: facts.evidence.map((one) => `${one.title}: ${one.address}`) },
    { heading: "Timeline", lines: facts.timeline.map((one) => `${instant(one.atMs)}: ${one.text} (${one.by})`) },
  ];
  return parts.filter((one) => one.lines.length > 0);
}

/** What Markdown would read as more than text is written so that it is text. */
const plain = (text: string) => text.replaceAll(/[\\`*_{}[\]<>#|]/g, "\\$&").replaceAll(/\s+/g, " ");

/** The report as Markdown. */
export const reportMarkdown = (facts: ReportFacts): string =>
  [
    `# Incident ${facts.id}: ${plain(facts.title)}`,
    ...partsOf(facts).map(
      ({ heading, lines }) => `## ${heading}\n\n${lines.map((line) => `- ${plain(line)}`).join("\n")}`,
    ),
  ].join("\n\n") + "\n";

const escaped = (text: string) =>
  text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;").replaceAll('"', "&quot;");

/** The report as a page of its own that can be printed and mailed. */
export const reportHtml = (facts: ReportFacts): string =>
  `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Incident ${facts.id}: ${escaped(facts.title)}</title>
<style>body{font:15px/1.5 system-ui,sans-serif;max-width:50em;margin:2em auto;padding:0 1em;color:#1d2326}h1{font-size:1.4em}h2{font-size:1.1em;margin-top:1.6em;border-bottom:1px solid #d3ccbd}li{margin:.2em 0}</style></head><body>
<h1>Incident ${facts.id}: ${escaped(facts.title)}</h1>
${partsOf(facts)
  .map(
    ({ heading, lines }) =>
      `<h2>${heading}</h2>\n<ul>${lines.map((line) => `<li>${escaped(line)}</li>`).join("")}</ul>`,
  )
  .join("\n")}
</body></html>
`;
