import { PRIORITY_WORDS } from "#core/correlation/priority";
import { reportHtml, reportMarkdown, type ReportFacts } from "#core/correlation/report";
import type { Route } from "./+types/incident-report";
import { idFrom, missing } from "../shell/answers.server";

const FORMS = {
  md: { type: "text/markdown", write: reportMarkdown },
  html: { type: "text/html", write: reportHtml },
  json: { type: "application/json", write: (facts: ReportFacts) => `${JSON.stringify(facts, null, 2)}\n` },
} as const;

/** A report of an incident as Markdown, HTML or JSON. */
export async function loader({ params, context }: Route.LoaderArgs) {
  const id = idFrom(params.id, "incident");
  const form = Object.hasOwn(FORMS, params.form) ? FORMS[params.form as keyof typeof FORMS] : undefined;
  const page = form && (await context.ask("incident", { id, nowMs: context.now(), root: context.root }));
  if (!form || !page) throw missing("incident", params.id);
  const { incident } = page;
  const facts: ReportFacts = {
    id,
    title: incident.title,
    state: page.isOpen ? "open" : incident.merged_into === null ? "resolved" : "merged",
    sentence: page.sentence,
    priority: page.harm.priority,
    priorityReason: incident.priority === null ? PRIORITY_WORDS[page.harm.follows] : incident.priority_reason,
    openedMs: incident.opened_at,
    resolvedMs: incident.resolved_at,
    takenBy: incident.taken_by,
    causes: incident.causes,
    confirmed: incident.confirmed && {
      name: incident.confirmed.name,
      remark: incident.confirmed.remark,
      by: incident.confirmed_by ?? "",
    },
    harm: page.harm.services.map(({ name, ...one }) => ({ service: name, ...one })),
    alarms: page.alarms.map((one) => ({
      subject: one.subject,
      text: one.text,
      severity: one.worst,
      raisedMs: one.raised_at,
      clearedMs: one.cleared_at,
    })),
    changes: page.changes.map((one) => ({
      atMs: one.at,
      summary: one.summary,
      by: one.by_whom,
      ticket: one.ref,
    })),
    timeline: page.timeline,
    runs: page.runs.map((one) => ({
      id: one.id,
      runbook: one.runbook,
      state: one.state,
      by: one.started_by,
      atMs: one.started_at,
    })),
    evidence: page.evidence.map(({ title, address }) => ({ title, address })),
  };
  return new Response(form.write(facts), {
    headers: {
      "Content-Type": `${form.type}; charset=utf-8`,
      // What it holds came from outside: as a page of its own it may load and run nothing.
      "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; sandbox",
      "Content-Disposition": `attachment; filename="incident-${id}.${params.form}"`,
    },
  });
}
