/** What lets a chore come due. A new one is a file here, a line in the register, and one in the server's. */
export interface TriggerKind {
  type: string;
  label: string;
  /** When it is due, said as part of a sentence. */
  words(trigger: never): string;
  /** Names that arguments may use, as in {{due.instance}}. */
  fills: readonly string[];
}
