import type { FindingOutcome } from "#server/store/sources";

/** Words for what a sweep found out about a thing. */
export const OUTCOMES: Readonly<Record<FindingOutcome, { label: string; explained: string }>> = {
  new: { label: "new", explained: "Taken into the estate and watched from now on." },
  back: { label: "back", explained: "Gone before, seen again." },
  changed: { label: "changed", explained: "Known, with other facts than before." },
  missing: { label: "missing", explained: "Not seen this time; still watched." },
  gone: { label: "gone", explained: "Missed twice in a row; no longer watched." },
  failed: { label: "could not read", explained: "Answered, but did not let itself be read." },
  unmatched: { label: "unknown peers", explained: "Talked to by a known process, but in no source's range." },
};

export const OUTCOME_ORDER: readonly FindingOutcome[] = [
  "new",
  "back",
  "changed",
  "missing",
  "gone",
  "failed",
  "unmatched",
];
