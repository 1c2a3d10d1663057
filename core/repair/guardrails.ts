import { z } from "zod";
import { calendarProblem, shiftsOfCalendar } from "../telling/calendar";
import { HOUR_MS, MINUTE_MS, spokenDuration } from "../time/windows";
import { hoursInWords, isWithin, isZone, weekHoursSchema } from "../telling/week-hours";

const most = (usual: number, upTo = 100) => z.number().int().min(0).max(upTo).default(usual);

/** Limits on what a policy does by itself; as warnings they are shown to people too. */
export const limitsSchema = z.strictObject({
  /** Acts within any hour. */
  mostAnHour: z.strictObject({ runbook: most(4), component: most(2), service: most(4), estate: most(10) }).prefault({}),
  /** Of those that stand in for the target, so many must be well and untouched. */
  leaveWell: z.number().int().min(0).max(20).default(1),
  /** Of a service's members, at most this share acted on within the cool-down. */
  mostOfServicePercent: z.number().min(1).max(100).default(34),
  /** Services that would go down with the target although nothing is wrong with them yet. */
  mostHurt: most(0),
  hours: weekHoursSchema.nullable().default(null),
  zone: z.string().max(60).refine(isZone, "There is no such time zone.").default("UTC"),
  /** A calendar (RFC 5545); nothing is done during its events: freezes, holidays, the night of the accounts. */
  notDuring: z
    .string()
    .max(200_000, "A calendar has at most 200,000 characters.")
    .superRefine((text, context) => {
      const problem = text.trim() === "" ? undefined : calendarProblem(text);
      if (problem !== undefined) context.addIssue({ code: "custom", message: problem });
    })
    .default(""),
  /** The same runbook is not run on the same component again so soon. */
  coolDownMinutes: z.number().min(0).max(1440).default(10),
  /** After so many tries for one incident it gives up, and says so. */
  tries: z.number().int().min(1).max(10).default(2),
  /** What was discovered later is left alone. */
  knownHours: z.number().min(0).max(720).default(24),
});
export type Limits = z.infer<typeof limitsSchema>;

/** Something that was done: a run by a policy, from when it began. */
export interface PastAct {
  runId: number;
  atMs: number;
  runbookId: number;
  componentId: number;
  serviceIds: readonly number[];
  incidentId: number | null;
  policyId: number | null;
  /** A chore began it; such acts do not use up what policies may do in the estate. */
  choreId?: number | null;
  /** What it left: still under way, well, or not. */
  state: "running" | "passed" | "failed" | "stopped";
}

/** What is asked for, and all that the guardrails need to know of the estate at that moment. */
export interface Situation {
  nowMs: number;
  /** Who stopped all automatic acts, where somebody did. */
  haltedBy: string | null;
  policyId: number | null;
  /** Set where a chore asks. */
  choreId?: number | null;
  /** Open incident that the target takes part in, where the chore leaves such alone. */
  openIncident?: number | null;
  runbookId: number;
  incidentId: number | null;
  target: {
    id: number;
    name: string;
    firstSeenMs: number;
    /** Ticket of planned work under way on it. */
    plannedWork: string | null;
  };
  /** Others that stand in for the target, none where it stands alone. */
  set: readonly { id: number; name: string; isWell: boolean }[];
  /** Services that the target serves, with all their members. */
  services: readonly { id: number; name: string; members: readonly number[] }[];
  /** Services that would go down with the target, and are not hurt already. */
  wouldHurt: readonly string[];
  /** Components that the run touches: those it acts on. */
  touches: readonly number[];
  /** Acts of policies, newest last; at least those of the last hour and of this incident. */
  acts: readonly PastAct[];
  /** Runs under way by anybody, with what they touch. */
  underWay: readonly { runId: number; touches: readonly number[] }[];
  /** Other policies that undid or were undone by this one on the target lately. */
  against: string | null;
}

export const GUARDRAILS = [
  // What the runbook itself says must be true before.
  "before",
  "halt",
  "rate",
  "redundancy",
  "share",
  "hurt",
  "hours",
  "calendar",
  "planned work",
  "cool-down",
  "tries",
  "known",
  "lock",
  "oscillation",
  "incident",
] as const;
export type Guardrail = (typeof GUARDRAILS)[number];

/** What one guardrail said. */
export interface Ruling {
  guardrail: Guardrail;
  /** It holds the act back. */
  holds: boolean;
  words: string;
  /** It will not change by waiting: trying again is no use. */
  isFinal?: boolean;
}

/** The verdict of every guardrail on an act, in a fixed order: those that hold it back and those that let it pass, with words. */
export function judgeAct(limits: Limits, one: Situation): Ruling[] {
  return [
    halt(one),
    ...rates(limits, one),
    redundancy(limits, one),
    share(limits, one),
    hurt(limits, one),
    hours(limits, one),
    calendar(limits, one),
    planned(one),
    coolDown(limits, one),
    tries(limits, one),
    known(limits, one),
    lock(one),
    oscillation(one),
    ...incident(one),
  ];
}

export const isHeld = (rulings: readonly Ruling[]): boolean => rulings.some((one) => one.holds);

const ruling = (guardrail: Guardrail, holds: boolean, words: string): Ruling => ({ guardrail, holds, words });

const halt = ({ haltedBy }: Situation) =>
  ruling(
    "halt",
    haltedBy !== null,
    haltedBy === null ? "Automatic acts are on" : `${haltedBy} stopped all automatic acts`,
  );

const isAutomatic = (act: PastAct) => act.policyId !== null || isOfChore(act);
const isOfChore = (one: { choreId?: number | null }) => one.choreId !== null && one.choreId !== undefined;

/** Acts that count against a limit an hour: those begun by themselves within the hour before now. */
const withinHour = (acts: readonly PastAct[], nowMs: number) =>
  acts.filter((act) => isAutomatic(act) && act.atMs > nowMs - HOUR_MS && act.atMs <= nowMs);

function rates({ mostAnHour }: Limits, one: Situation): Ruling[] {
  const acts = withinHour(one.acts, one.nowMs);
  const rate = (what: string, limit: number, fits: (act: PastAct) => boolean) => {
    const count = acts.filter(fits).length;
    return ruling("rate", count >= limit, `${count} of at most ${limit} acts an hour ${what}`);
  };
  return [
    rate(
      "by this runbook",
      mostAnHour.runbook,
      (act) => act.runbookId === one.runbookId && isOfChore(act) === isOfChore(one),
    ),
    rate(`on ${one.target.name}`, mostAnHour.component, (act) => act.componentId === one.target.id),
    ...one.services.map((service) =>
      rate(`on ${service.name}`, mostAnHour.service, (act) => act.serviceIds.includes(service.id)),
    ),
    // A night of upkeep must not keep repairs from being made, nor they it.
    rate("in the whole estate", mostAnHour.estate, (act) => isOfChore(act) === isOfChore(one)),
  ];
}

function redundancy({ leaveWell }: Limits, { set, underWay, target }: Situation): Ruling {
  if (set.length === 0) return ruling("redundancy", false, `Nothing stands in for ${target.name}`);
  const busy = new Set(underWay.flatMap((run) => run.touches));
  const left = set.filter((member) => member.isWell && !busy.has(member.id));
  const needed = Math.min(leaveWell, set.length);
  return ruling(
    "redundancy",
    left.length < needed,
    `${left.length} of ${set.length} that stand in for ${target.name} ${left.length === 1 ? "is" : "are"} well and untouched; at least ${needed} must be`,
  );
}

function share({ mostOfServicePercent, coolDownMinutes }: Limits, one: Situation): Ruling {
  const since = one.nowMs - Math.max(coolDownMinutes * MINUTE_MS, HOUR_MS / 6);
  const recent = new Set(one.acts.filter((act) => isAutomatic(act) && act.atMs > since).map((act) => act.componentId));
  let worst = { name: "", percent: 0, count: 0 };
  for (const service of one.services) {
    // One member can always be seen to, however small the service is.
    const touched = service.members.filter((id) => recent.has(id) || id === one.target.id);
    const percent = (touched.length / Math.max(1, service.members.length)) * 100;
    if (touched.length > 1 && percent > worst.percent) worst = { name: service.name, percent, count: touched.length };
  }
  return ruling(
    "share",
    worst.percent > mostOfServicePercent,
    worst.count === 0
      ? "No other member of its services was acted on just before"
      : `${worst.count} members of ${worst.name}, ${Math.round(worst.percent)} %, would be acted on within a short time; at most ${mostOfServicePercent} %`,
  );
}

const hurt = ({ mostHurt }: Limits, { wouldHurt, target }: Situation) =>
  ruling(
    "hurt",
    wouldHurt.length > mostHurt,
    wouldHurt.length === 0
      ? `No service that is well goes down with ${target.name}`
      : `${wouldHurt.join(", ")} would go down with ${target.name}; at most ${mostHurt} may`,
  );

const hours = ({ hours: allowed, zone }: Limits, { nowMs }: Situation) =>
  ruling(
    "hours",
    allowed !== null && !isWithin(allowed, zone, nowMs),
    allowed === null ? "At any hour" : `Only ${hoursInWords(allowed)} (${zone})`,
  );

function calendar({ notDuring, zone }: Limits, { nowMs }: Situation): Ruling {
  if (notDuring.trim() === "") return ruling("calendar", false, "No calendar keeps it from acting");
  const event = shiftsOfCalendar(notDuring, nowMs, nowMs + 1, zone).find(
    (one) => one.fromMs <= nowMs && nowMs < one.toMs,
  );
  return ruling(
    "calendar",
    event !== undefined,
    event ? `“${event.who}” is in its calendar now` : "Nothing is in its calendar now",
  );
}

const planned = ({ target }: Situation) =>
  ruling(
    "planned work",
    target.plannedWork !== null,
    target.plannedWork === null
      ? "No planned work is under way on it"
      : `Planned work ${target.plannedWork} is under way`,
  );

function coolDown({ coolDownMinutes }: Limits, one: Situation): Ruling {
  const last = one.acts.filter((act) => act.componentId === one.target.id && act.runbookId === one.runbookId).at(-1);
  const since = last === undefined ? Number.POSITIVE_INFINITY : one.nowMs - last.atMs;
  return ruling(
    "cool-down",
    since < coolDownMinutes * MINUTE_MS,
    last === undefined
      ? "It was not run there before"
      : `It was run there ${spokenDuration(Math.max(0, since))} ago; the cool-down is ${coolDownMinutes} min`,
  );
}

function tries({ tries: limit }: Limits, one: Situation): Ruling {
  const count =
    one.incidentId === null
      ? 0
      : one.acts.filter((act) => act.incidentId === one.incidentId && act.policyId === one.policyId).length;
  return {
    ...ruling("tries", count >= limit, `${count} of ${limit} tries for this incident`),
    isFinal: count >= limit,
  };
}

function known({ knownHours }: Limits, { target, nowMs }: Situation): Ruling {
  const known = nowMs - target.firstSeenMs;
  return ruling(
    "known",
    known < knownHours * HOUR_MS,
    `${target.name} has been known for ${spokenDuration(Math.max(0, known))}; at least ${knownHours} h`,
  );
}

function lock({ touches, underWay }: Situation): Ruling {
  const other = underWay.find((run) => run.touches.some((id) => touches.includes(id)));
  return ruling(
    "lock",
    other !== undefined,
    other ? `Run ${other.runId} touches the same parts` : "No other run touches it",
  );
}

const oscillation = ({ against }: Situation) =>
  ruling(
    "oscillation",
    against !== null,
    against === null
      ? "No other policy works against it"
      : `“${against}” acted on the same component and this one would undo it`,
  );

const incident = ({ openIncident, target }: Situation): Ruling[] =>
  openIncident === undefined
    ? []
    : [
        ruling(
          "incident",
          openIncident !== null,
          openIncident === null
            ? `No open incident is about ${target.name}`
            : `Incident ${openIncident} is open and about ${target.name}`,
        ),
      ];
