import { severityRank, worstSeverity, type Severity } from "../alarms/severity";

/** How the state of a service's members is made of each of theirs. */
export const MEMBER_STATES = ["worst", "share", "quorum", "weight"] as const;
export type MemberStateKind = (typeof MEMBER_STATES)[number];

/** A member of a service as its health is judged. */
export interface MemberHealth {
  name: string;
  severity: Severity;
  /** What its alarm says. */
  reason: string;
  /** Members of one set stand in for each other; null for one that nobody stands in for. */
  set: string | null;
  /** How much it counts where members are weighed. */
  weight: number;
}

export interface HealthSettings {
  rule: MemberStateKind;
  /** Of a share or of the weight: from so many percent unwell the members are critical. */
  criticalPercent?: number | undefined;
  /** Of a redundant set so many must be well; one without it. */
  quorum?: number | undefined;
}

export interface MembersState {
  severity: Severity;
  /** Names the member that decides, and says why. */
  reason: string;
}

/** A member that cannot be counted on. */
const isOut = ({ severity }: MemberHealth) => severityRank(severity) >= severityRank("major");

const CLEAR: MembersState = { severity: "cleared", reason: "" };

/** The state of the members of a service, and which of them decides. */
export function membersState(members: readonly MemberHealth[], settings: HealthSettings): MembersState {
  const unwell = members.filter((one) => one.severity !== "cleared");
  if (unwell.length === 0) return CLEAR;
  switch (settings.rule) {
    case "worst":
      return worstOf(unwell);
    case "quorum":
      return byQuorum(members, settings.quorum ?? 1);
    case "share":
      return byWeight(members, () => 1, settings.criticalPercent ?? 50, "of its members");
    case "weight":
      return byWeight(members, (one) => one.weight, settings.criticalPercent ?? 50, "of its members by weight");
  }
}

function worstOf(unwell: readonly MemberHealth[]): MembersState {
  const severity = worstSeverity(unwell.map((one) => one.severity));
  const decides = unwell.find((one) => one.severity === severity) as MemberHealth;
  return { severity, reason: `${decides.name}: ${decides.reason}` };
}

/** Critical where a set has fewer left than it needs, a warning where it only lost some; who stands alone counts whole. */
function byQuorum(members: readonly MemberHealth[], quorum: number): MembersState {
  const sets = new Map<string, MemberHealth[]>();
  const alone: MemberHealth[] = [];
  for (const one of members) {
    if (one.set === null) alone.push(one);
    else {
      const set = sets.get(one.set);
      if (set) set.push(one);
      else sets.set(one.set, [one]);
    }
  }
  const states: MembersState[] = [];
  const unwell = alone.filter((one) => one.severity !== "cleared");
  if (unwell.length) states.push(worstOf(unwell));
  for (const [name, set] of sets) {
    const out = set.filter(isOut);
    const ill = set.filter((one) => one.severity !== "cleared");
    const [first] = out.length ? out : ill;
    if (!first) continue;
    const left = set.length - out.length;
    const needed = Math.min(quorum, set.length);
    if (left < needed)
      states.push({
        severity: "critical",
        reason: `${left} of ${set.length} ${name} left, ${needed} needed; ${first.name}: ${first.reason}`,
      });
    else
      states.push({
        severity: "warning",
        reason: `${left} of ${set.length} ${name} left; ${first.name}: ${first.reason}`,
      });
  }
  return states.reduce(
    (worst, one) => (severityRank(one.severity) > severityRank(worst.severity) ? one : worst),
    CLEAR,
  );
}

/** Critical from a share that is out, major from half of that, minor from any; a warning where none is out. */
function byWeight(
  members: readonly MemberHealth[],
  weightOf: (one: MemberHealth) => number,
  criticalPercent: number,
  words: string,
): MembersState {
  const total = members.reduce((sum, one) => sum + weightOf(one), 0);
  const out = members.filter(isOut);
  if (out.length === 0) {
    const { reason } = worstOf(members.filter((one) => one.severity !== "cleared"));
    return { severity: "warning", reason };
  }
  const percent = total > 0 ? (out.reduce((sum, one) => sum + weightOf(one), 0) / total) * 100 : 0;
  const heaviest = out.reduce((most, one) => (weightOf(one) > weightOf(most) ? one : most));
  const severity = percent >= criticalPercent ? "critical" : percent >= criticalPercent / 2 ? "major" : "minor";
  return { severity, reason: `${Math.round(percent)} % ${words} are out; ${heaviest.name}: ${heaviest.reason}` };
}

/** How much members count whose name or kind fits a pattern. */
export interface MemberWeight {
  pattern: string;
  weight: number;
}

/** Reads weights as people write them, one a line: "db.* = 5". */
export function readWeights(text: string): { ok: true; weights: MemberWeight[] } | { ok: false; problem: string } {
  const weights: MemberWeight[] = [];
  for (const [index, line] of text.split("\n").entries()) {
    if (!line.trim()) continue;
    const [, pattern, number] = /^\s*(\S.*?)\s*=\s*(\d+(?:\.\d+)?)\s*$/.exec(line) ?? [];
    const weight = Number(number);
    if (!pattern || !(weight >= 0 && weight <= 1000))
      return {
        ok: false,
        problem: `Line ${index + 1}: write a name or kind, “=” and a weight up to 1,000, as “db.* = 5”.`,
      };
    weights.push({ pattern, weight });
  }
  return { ok: true, weights };
}
