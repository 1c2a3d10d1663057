import { z } from "zod";
import { fillText, type Words } from "../fill";
import { common, timeout } from "./step";

const bound = z.array(z.string().max(500)).max(20).default([]);
const stated = {
  /** Name of a credential for databases in the vault. */
  credential: z.string("Choose the credential.").min(1, "Choose the credential.").max(80).meta({ title: "Credential" }),
  database: z.string("Name the database.").min(1, "Name the database.").max(63).meta({ title: "Database" }),
  port: z.number().int().min(1).max(65_535).default(5432).meta({ title: "Port" }),
  /** One statement; $1, $2 … stand for what is bound. Nothing is ever put into its text. */
  statement: z
    .string("Write the statement.")
    .min(1, "Write the statement.")
    .max(8000)
    .refine((text) => !/\{\{/.test(text), "Nothing is put into a statement: write $1 and bind {{name}} to it.")
    .meta({ title: "Statement", lines: true }),
  bind: bound.meta({ title: "Bound to $1, $2 …" }),
  /** More rows than this, and it is taken back. */
  mostRows: z.number().int().min(0).max(1_000_000).default(1000).meta({ title: "Rows at most" }),
  /** A question whose first value must be true before it is kept. */
  check: z
    .string()
    .max(2000)
    .refine((text) => !/\{\{/.test(text), "Nothing is put into a statement.")
    .optional()
    .meta({ title: "Kept only if", lines: true }),
  timeoutSeconds: timeout(60),
};
const counted = {
  /** A question whose first value says how many rows there are to be touched; it is read in a dry run, and before it begins. */
  count: z
    .string()
    .max(2000)
    .refine((text) => !/\{\{/.test(text), "Nothing is put into a statement.")
    .optional()
    .meta({ title: "Count first", lines: true }),
  /** More than this counted, and nothing is done. */
  mostCounted: z.number().int().min(0).max(1_000_000_000).default(1_000_000).meta({ title: "Counted at most" }),
  /** Run again so often, each time in a transaction of its own, until no row is left to touch. */
  portions: z.number().int().min(1).max(10_000).default(1).meta({ title: "Portions at most" }),
  pauseSeconds: z.number().min(0).max(600).default(0).meta({ title: "Pause between", unit: "s" }),
};
export const undoStatement = z.strictObject({ type: z.literal("sql"), ...stated });
export const sqlStep = z.strictObject({
  type: z.literal("sql"),
  ...common,
  ...stated,
  ...counted,
  undo: undoStatement.optional(),
});
export type SqlStep = z.infer<typeof sqlStep>;
export type SqlStatement = z.infer<typeof undoStatement>;

/** A statement of a database, in a transaction that is kept only when its check holds. */
export const sql = {
  type: "sql",
  label: "SQL statement",
  about:
    "Runs one statement of a PostgreSQL database in a transaction, with bounded rows, counted first, in portions, and a check before it is kept.",
  acts: true,
  texts: (step: SqlStep) => [...step.bind, ...(step.undo?.bind ?? [])],
  words: (step: SqlStatement & Partial<Pick<SqlStep, "portions">>, words: Words) =>
    `${(step.portions ?? 1) > 1 ? `up to ${step.portions} times: ` : ""}${step.statement.replaceAll(/\s+/g, " ").trim()}${step.bind.length ? ` with ${step.bind.map((one, index) => `$${index + 1} = ${JSON.stringify(fillText(one, words))}`).join(", ")}` : ""}`,
};

/** Of what is bound, as much as a text asks for: a server refuses more. */
export const boundIn = (text: string, bound: readonly string[]): string[] =>
  bound.slice(0, Math.max(0, ...[...text.matchAll(/\$(\d+)/g)].map(([, number]) => Number(number))));
