import { z } from "zod";

/** Stands in a line for the name of the job. */
export const JOB_PLACE = "{job}";
const LONGEST_NAME = 80;

const lineSchema = z
  .string()
  .trim()
  .max(200, "A line has at most 200 characters.")
  .refine((line) => line.split(JOB_PLACE).length <= 2, `Only one ${JOB_PLACE} can be wanted.`)
  .refine(
    (line) => line === "" || /[\p{L}\p{N}]{2}/u.test(line.replaceAll(JOB_PLACE, "")),
    "Say some words of the line.",
  );

/** The fields of what follows, each by itself. */
export const jobWordsFields = z.strictObject({
  name: z.string().trim().max(LONGEST_NAME, `A name has at most ${LONGEST_NAME} characters.`).default(""),
  begins: lineSchema.refine((line) => line !== "", "Give the line that tells that a run begins."),
  ends: lineSchema.refine((line) => line !== "", "Give the line that tells that a run is done."),
  fails: lineSchema.default(""),
});

/** How the logs tell of the runs of jobs: lines in which `{job}` stands for the name and `*` for anything. */
export const jobWordsSchema = jobWordsFields.superRefine(({ name, begins, ends, fails }, context) => {
  if (name !== "") return;
  for (const [field, line] of Object.entries({ begins, ends, fails }))
    if (line !== "" && !line.includes(JOB_PLACE))
      context.addIssue({
        code: "custom",
        path: [field],
        message: `Put ${JOB_PLACE} where the name of the job stands, or name the job.`,
      });
});
export type JobWords = z.output<typeof jobWordsSchema>;

/** What a line tells of a job. */
export interface Told {
  job: string;
  what: "begins" | "ends" | "fails";
}

type Matcher = (body: string) => { job: string | undefined } | undefined;

/**
 * Reads what lines tell of the runs of jobs. The words of a template are looked for from left to right, wherever in the
 * line they begin; a line is gone through once for each of its words.
 */
export function jobReader(words: JobWords): (body: string) => Told | undefined {
  // What went wrong is asked first: “done with errors” fits what tells of the end as well.
  const order = (["fails", "ends", "begins"] as const).flatMap((what) =>
    words[what] ? [{ what, match: matcher(words[what]) }] : [],
  );
  return (body) => {
    for (const { what, match } of order) {
      const job = match(body);
      const name = job && (job.job ?? words.name);
      if (name) return { job: name, what };
    }
    return undefined;
  };
}

function matcher(template: string): Matcher {
  const parts = template.split(/(\{job\}|\*)/).filter((part) => part !== "");
  return (body) => {
    let place = 0;
    let job: string | undefined;
    let from: number | undefined;
    for (const part of parts) {
      if (part === "*") {
        if (from !== undefined) [job, from] = [wordAt(body, from), undefined];
        continue;
      }
      if (part === JOB_PLACE) {
        from = place;
        continue;
      }
      const found = body.indexOf(part, place);
      if (found < 0) return undefined;
      if (from !== undefined) {
        // Of a line that begins with it, one word.
        job = from === 0 ? (body.slice(0, found).trimEnd().split(/\s/).at(-1) ?? "") : body.slice(from, found);
        from = undefined;
      }
      place = found + part.length;
    }
    if (from !== undefined) job = wordAt(body, from);
    if (job !== undefined && (job.trim() === "" || job.length > LONGEST_NAME)) return undefined;
    return { job: job?.trim() };
  };
}

/** Whole words of a line that every record has which fits it: what such records are searched by. */
export const wordsToSearch = (template: string): string[] =>
  template.split(/\{job\}|\*/).flatMap((part, index) => {
    const words = part.split(/[^\p{L}\p{N}]+/u);
    // What touches a place may be the end of a longer word.
    if (index > 0) words.shift();
    return words.filter((word) => word !== "").map((word) => word.toLowerCase());
  });

const wordAt = (body: string, from: number): string =>
  /^\S*/.exec(body.slice(from, from + LONGEST_NAME + 1))?.[0] ?? "";
