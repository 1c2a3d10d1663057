import { lowerFirst } from "../catalogue/metrics";
import { spokenDuration } from "../time/windows";
import type { Cause, Evidence } from "./cause";

/** A piece of evidence in words. */
export interface SaidEvidence extends Evidence {
  name: string;
  /** What is wrong there: "calls are slow". */
  symptom: string;
  /** Others whose log says so, where it is not seen on the thing itself. */
  saidBy?: string;
  /** The port that it is wired to, where that is what tells of it: "port2 of sw-1". */
  atPort?: string;
  /** Whose calls to it go badly, where that is too little for an alarm. */
  calledBy?: string;
  /** It tells of what was long ago too, as a budget does: it dates nothing. */
  lags?: boolean;
}

/** A change on a cause just before, in words. */
export interface SaidChange {
  summary: string;
  beforeMs: number;
  ticket: string | null;
}

/** Figures are said to move together from this correlation on. */
const ALIKE = 0.7;

/** The terms of a cause's score in sentences, what counts most first; what speaks against it stands at the end. */
export function reasonsOf(cause: Cause, evidence: readonly SaidEvidence[], change: SaidChange | undefined): string[] {
  const own = cause.explains.flatMap((index) => {
    const one = evidence[index];
    return one && one.node === cause.node ? [one] : [];
  });
  const others = cause.explains.flatMap((index) => {
    const one = evidence[index];
    return one && one.node !== cause.node ? [one] : [];
  });
  const pro: string[] = [];
  const contra: string[] = [];
  const seen = own.filter((one) => one.saidBy === undefined && one.calledBy === undefined && one.atPort === undefined);
  if (seen.length) pro.push(`${[...new Set(seen.map((one) => lowerFirst(one.symptom)))].join(", ")} on it itself`);
  for (const { atPort, symptom } of own)
    if (atPort !== undefined) pro.push(`${lowerFirst(symptom)} at ${atPort}, where it is wired`);
  for (const { saidBy } of own) if (saidBy !== undefined) pro.push(`errors in the log of ${saidBy} name it`);
  for (const { calledBy, nature } of own)
    if (calledBy !== undefined)
      pro.push(`calls of ${calledBy} to it ${nature === "slow" ? "take most of its time" : "fail"}`);
  for (const term of cause.terms) {
    if (term.what === "explains" && others.length) {
      const example = others.find((one) => !own.some((each) => each.name === one.name)) ?? others[0];
      pro.push(
        `explains ${term.count === term.of ? (term.of === 1 ? "the other alarm" : `all ${term.of} others`) : `${term.count} of ${term.of} others`}: ${lowerFirst(example?.symptom ?? "")} ${example?.atPort === undefined ? `on ${example?.name}` : `at ${example.atPort}`}${others.length > 1 ? " among them" : ""}`,
      );
    } else if (term.what === "first") pro.push(`began ${spokenDuration(term.byMs)} before the others`);
    else if (term.what === "change" && change)
      pro.push(
        `changed ${spokenDuration(change.beforeMs)} before, ${change.ticket === null ? "without a ticket" : change.ticket}: ${change.summary}`,
      );
    else if (term.what === "shape" && term.r >= ALIKE)
      pro.push(
        `its figure moves together with that of ${term.with} (correlation ${term.r.toFixed(2)}${term.aheadMs > 0 ? `, ${spokenDuration(term.aheadMs)} ahead` : ""})`,
      );
    else if (term.what === "past")
      pro.push(
        `was the cause of ${term.count === 1 ? "an incident" : `${term.count} incidents`} like this one, as confirmed`,
      );
    else if (term.what === "well")
      contra.push(`${term.count} of ${term.of} that it would hurt ${term.count === 1 ? "is" : "are"} well`);
    else if (term.what === "silent") contra.push("it shows nothing of its own although it is watched");
    else if (term.what === "late") contra.push("some of it began before");
  }
  return [...pro, ...contra.map((text) => `but ${text}`)];
}
