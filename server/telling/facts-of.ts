import { PRIORITY_WORDS } from "#core/correlation/priority";
import { titleOf, type ChartData } from "#core/drawing/chart";
import type { DigestFacts, MessageFacts, ShiftFacts } from "#core/telling/facts";
import { momentLabel, type Moment } from "#core/telling/rule";
import { clockTime, dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { incidentPage } from "../pages/incident/page";
import type { shiftPage } from "../pages/shift";
import { readMeta, type Db } from "../store/database";
import { coveredBy, messagesOfIncident } from "../store/outbox";
import { handOverById, signedPage } from "../store/shifts";

/** What a message is about and who gets it. */
export interface Asked {
  messageId: number;
  incidentId: number | null;
  moment: Moment | "digest" | "shift" | "test";
  shiftId: number | null;
  to: string;
  why: string;
  nowMs: number;
  /** Where the pages are: https://ops.example */
  origin: string;
  links: { take: string; pass_on: string; shelve: string };
}

const MOST_LINES = 8;
const MOST_PICTURES = 4;
const utc = (ms: number) => `${dayAndTime(ms)} UTC`;
const iso = (ms: number) => `${new Date(ms).toISOString().slice(0, 19)}Z`;
const time = (ms: number) => `${clockTime(ms)} UTC`;

type Page = NonNullable<ReturnType<typeof incidentPage>>;

/** Everything that a message can say of an incident, with the charts that go with it; null where it is not there any more. */
export function factsOf(db: Db, root: string, asked: Asked): { facts: MessageFacts; charts: ChartData[] } | null {
  const { incidentId, moment, nowMs, origin, to, why, links } = asked;
  const page = incidentId === null ? null : incidentPage(db, { id: incidentId, nowMs, root });
  if (!page) return null;
  const { incident, harm, alarms } = page;
  // Opens on the same window of time, whenever it is followed.
  const seen = new URLSearchParams({ from: iso(page.fromMs), to: iso(nowMs) });
  const link = `${origin}/incidents/${incident.id}?${seen.toString()}`;
  const charts = chosenCharts(page);
  const { priority } = harm;
  const facts: MessageFacts = {
    occasion: moment === "test" ? "Test" : momentLabel(moment),
    moment: moment === "test" || moment === "shift" ? "opened" : moment,
    incident: {
      number: incident.id,
      title: incident.title,
      sentence: page.sentence,
      severity: page.isOpen ? incident.severity : "resolved",
      worst: incident.worst,
      priority,
      priority_reason: incident.priority === null ? PRIORITY_WORDS[priority] : incident.priority_reason,
      state: page.isOpen ? "open" : "resolved",
      opened: utc(incident.opened_at),
      resolved: incident.resolved_at === null ? "" : utc(incident.resolved_at),
      lasted: spokenDuration((incident.resolved_at ?? nowMs) - incident.opened_at),
      taken_by: incident.taken_by ?? "",
      waiting_for: incident.waiting_for,
      link,
    },
    services: incident.services.map((one) => one.name),
    cause: causeOf(page),
    other_causes: incident.causes.slice(1, 4).map((one) => ({ name: one.name, percent: percent(one.probability) })),
    harm: harm.services.map((one) => ({
      service: one.name,
      is_hurt: one.isHurt,
      since: one.sinceMs === null ? utc(incident.opened_at) : time(one.sinceMs),
      calls: one.calls ?? 0,
      failed: one.failed ?? 0,
    })),
    alarms: alarms.slice(0, MOST_LINES).map((one) => ({
      subject: one.subject,
      text: one.text,
      severity: one.cleared_at === null ? one.severity : one.worst,
      raised: time(one.raised_at),
      cleared: one.cleared_at === null ? "" : time(one.cleared_at),
    })),
    changes: page.changes.slice(0, MOST_LINES).map((one) => ({
      at: time(one.at),
      summary: one.summary,
      by: one.by_whom,
      ticket: one.ticket ?? "without a ticket",
    })),
    processes: (page.snapshot?.processes ?? []).map((one) => ({
      name: one.name,
      memory: formatValue(one.memoryBytes, "By"),
      cpu_time: spokenDuration(one.cpuHundredths * 10),
    })),
    logs: page.logs.slice(0, MOST_LINES).map((one) => ({ text: one.text, count: one.count, source: one.component })),
    notes: page.notes.map((one) => ({ title: one.title, text: one.lines.join(" ") })),
    runbooks: page.runbooks
      .filter((one) => one.fits)
      .map((one) => ({ title: one.name, link: `${origin}/runbooks/${one.id}` })),
    charts: charts.map((one, index) => ({ title: titleOf(one), link, picture: `cid:${pictureName(index)}` })),
    told: toldOf(db, asked),
    recipient: { name: to, why },
    links: { incident: link, ...links },
    organisation: readMeta(db, "organisation") ?? "",
  };
  return { facts, charts };
}

export const pictureName = (index: number): string => `chart-${index + 1}`;

const percent = (share: number) => Math.round(share * 100);

function causeOf({ incident }: Page): MessageFacts["cause"] {
  const [likeliest] = incident.causes;
  if (incident.confirmed)
    return {
      name: incident.confirmed.name,
      percent: 100,
      reasons: incident.confirmed.remark ? [incident.confirmed.remark] : [],
      confirmed_by: incident.confirmed_by ?? "",
    };
  return likeliest
    ? { name: likeliest.name, percent: percent(likeliest.probability), reasons: likeliest.reasons, confirmed_by: "" }
    : null;
}

/** Charts of what is taken for the cause, and of what shows it: what is in alarm, the business figures of who is hurt. */
function chosenCharts({ charts, suspect, host }: Page): ChartData[] {
  const names = new Set([suspect?.name, host?.name]);
  const drawn = charts.filter((one) => one.points.some((point) => point[2] !== null));
  const [own, others] = [true, false].map((isOwn) => drawn.filter((one) => names.has(one.owner) === isOwn)) as [
    ChartData[],
    ChartData[],
  ];
  const shown = [...own.slice(0, MOST_PICTURES / 2), ...others];
  return [...shown, ...own.slice(MOST_PICTURES / 2)].slice(0, MOST_PICTURES);
}

/** Who was told before, each with the first message. */
function toldOf(db: Db, { incidentId, messageId }: Asked): MessageFacts["told"] {
  const first = new Map<string, MessageFacts["told"][number]>();
  for (const one of incidentId === null ? [] : messagesOfIncident(db, incidentId))
    if (one.state === "sent" && one.id !== messageId && !first.has(one.name))
      first.set(one.name, { name: one.name, at: time(one.endedAt ?? one.madeAt), occasion: momentLabel(one.moment) });
  return [...first.values()].slice(0, MOST_LINES);
}

const MOST_OF_DIGEST = 100;

/** What a digest says: each incident once, as it stands now. */
export function digestFactsOf(db: Db, root: string, asked: Asked): DigestFacts {
  const { messageId, nowMs, origin, to, why } = asked;
  const last = new Map(coveredBy(db, messageId).map((one) => [one.incidentId, one]));
  return {
    occasion: "Digest",
    moment: "digest",
    incidents: [...last.values()].slice(0, MOST_OF_DIGEST).flatMap((one) => {
      const page = one.incidentId === null ? null : incidentPage(db, { id: one.incidentId, nowMs, root });
      if (!page) return [];
      const { incident, isOpen, sentence } = page;
      return [
        {
          number: incident.id,
          title: incident.title,
          sentence,
          severity: isOpen ? incident.severity : "resolved",
          state: isOpen ? "open" : "resolved",
          occasion: momentLabel(one.moment),
          link: `${origin}/incidents/${incident.id}`,
          cause: incident.confirmed?.name ?? incident.causes[0]?.name ?? "",
        },
      ];
    }),
    recipient: { name: to, why },
    links: { incidents: `${origin}/incidents` },
    organisation: readMeta(db, "organisation") ?? "",
  };
}

/** What the mail about a shift says: how things stood when it was signed over; null where it is not there any more. */
export function shiftFactsOf(db: Db, { shiftId, origin, to, why }: Asked): ShiftFacts | null {
  const shift = shiftId === null ? undefined : handOverById(db, shiftId);
  const page = shift && (signedPage(db, shift.id) as ReturnType<typeof shiftPage>);
  if (!shift || !page) return null;
  const link = (id: number) => `${origin}/incidents/${id}`;
  return {
    occasion: "Shift handed over",
    moment: "shift",
    shift: {
      from: utc(shift.fromMs),
      to: utc(shift.toMs),
      left_by: shift.leftBy,
      remark: shift.remark,
      link: `${origin}/incidents/shift`,
    },
    open: page.open.slice(0, MOST_OF_DIGEST).map((one) => ({
      number: one.id,
      title: one.title,
      severity: one.severity === "cleared" ? one.worst : one.severity,
      priority: one.priority,
      since: utc(one.openedMs),
      taken_by: one.takenBy ?? "",
      waiting_for: one.waitingFor,
      cause: one.cause ?? "",
      link: link(one.id),
    })),
    came_in: page.cameIn.slice(0, MOST_OF_DIGEST).map((one) => ({
      number: one.id,
      title: one.title,
      at: utc(one.openedMs),
      state: one.resolvedMs === null ? "open" : "resolved",
      link: link(one.id),
    })),
    done: [
      ...page.acts.map((one) => ({ atMs: one.atMs, text: `Incident ${one.incident}: ${one.text}`, by: one.by })),
      ...page.runs.map((one) => ({
        atMs: one.atMs,
        text: `Run ${one.id} of ${one.runbook}: ${one.state}`,
        by: one.by,
      })),
    ]
      .sort((a, b) => a.atMs - b.atMs)
      .slice(0, MOST_OF_DIGEST)
      .map((one) => ({ at: time(one.atMs), text: one.text, by: one.by })),
    planned: page.planned.slice(0, MOST_OF_DIGEST).map((one) => ({
      from: one.fromMs === null ? "" : utc(one.fromMs),
      title: `${one.ref}: ${one.title}`,
      person: one.person,
    })),
    alarms: page.load,
    comes_on: page.comesOn.map((one) => ({ rotation: one.rotation, name: one.now ?? "nobody" })),
    recipient: { name: to, why },
    organisation: readMeta(db, "organisation") ?? "",
  };
}
