import type { Answer } from "#server/pages/registry";

/** What the page of logs is asked and answers. */
export type LogsData = Answer<"logs"> & {
  asked: {
    q: string;
    level: number;
    component: number | null;
    service: string;
    pattern: number | null;
    trace: string;
    new: string;
    view: "records" | "patterns";
  };
  fromMs: number;
  toMs: number;
};

/** Puts changes into the page's address; `replace` leaves no step to go back to. */
export type Change = (changes: Record<string, string>, replace?: boolean) => void;

export const whole = (count: number) => count.toLocaleString("en-GB");
