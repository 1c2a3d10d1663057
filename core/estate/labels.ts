/** What a label says; a component has one of each but of tags. */
export const LABELS = ["owner", "environment", "tier", "tag", "note"] as const;
export type LabelName = (typeof LABELS)[number];

/** Facts that lists tell of begin so: nobody else tells them, so nobody else takes them back. */
export const LISTED = "listed ";

/** Reader of what a platform tells of what it has, and how facts of hosts begin that only it tells. */
export const PLATFORM = "platform";
export const OF_PLATFORM = "platform ";

/** Who says what a platform tells, as the change log and relations name it, by the name of its source. */
export const platformVoice = (source: string): string => `${OF_PLATFORM}${source}`;
/** Whether a relation is one that a platform tells of: those that look at hosts neither see nor miss it. */
/** Whether an observer, or a fact, is of a platform. */
export const isOfPlatform = (name: string): boolean => name.startsWith(OF_PLATFORM);

/** Reader of components that nobody saw, only a list names. */
export const TOLD = "list";

export interface Label {
  name: LabelName;
  value: string;
}

/** What belonging to a collection does. */
export type Effect = ({ what: "label" } & Label) | { what: "unwatched" };

/** Why a label cannot be put on, as a sentence; undefined where it can. */
export const labelProblem = ({ name, value }: Label): string | undefined =>
  value.length > 400
    ? "A label has at most 400 characters."
    : name !== "note" && /[,:]/.test(value)
      ? "A label has neither a comma nor a colon."
      : undefined;
