import type { FindingOutcome } from "#server/store/sources";

/** Words for what a sweep found out about a thing. */
export const OUTCOMES: Readonly<Record<FindingOutcome, { label: string; explained: string }>> = {
  new: { label: "new", explained: "Added to the estate and monitored from now on." },
  back: { label: "back", explained: "Was gone, seen again." },
  changed: { label: "changed", explained: "Known, with changed facts." },
  missing: { label: "missing", explained: "Not seen this time; still monitored." },
  gone: { label: "gone", explained: "Missed twice in a row; no longer monitored." },
  failed: { label: "unreadable", explained: "Answered, but could not be read." },
  unmatched: { label: "unknown peers", explained: "A known process connects to it, but no source covers it." },
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
