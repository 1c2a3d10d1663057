/** One field of a form that is made from a schema. */
export interface Field {
  name: string;
  label: string;
  /** What stands under it. */
  help: string;
  type: "text" | "lines" | "number" | "boolean" | "choice";
  value: string;
  /** Kinds of files that its text may be read from. */
  file?: string;
  choices: readonly { value: string; label: string }[];
}
