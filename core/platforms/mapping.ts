import { z } from "zod";
import { allKinds, hasKind, type RelationType } from "../catalogue/kinds";
import { LABELS } from "../estate/labels";
import { isFocusColumn, NEEDED } from "../spend/focus";
import { compileExpression, ExpressionFailure, type Expression } from "./expression";

const words = (most: number) => z.string().trim().min(1).max(most);
/** An expression of JSONata over an answer, or over one item of it. */
const expression = z
  .string()
  .trim()
  .min(1, "An expression is empty.")
  .superRefine((text, context) => {
    try {
      compileExpression(text);
    } catch (error) {
      context.addIssue(error instanceof ExpressionFailure ? error.message : String(error));
    }
  });
const path = z
  .string()
  .trim()
  .min(1)
  .max(1000)
  .regex(/^\//, "A path begins with a slash; the address of the platform goes before it.");
const queries = z.record(z.string().max(80), z.string().max(400)).default({});
const headerName = z.string().regex(/^[A-Za-z][A-Za-z0-9-]{0,60}$/, "That is no name of a header.");
const id = z.string().regex(/^[a-z][a-z0-9-]{0,40}$/, "Use small letters, digits and hyphens.");
const kind = z.string().refine(hasKind, {
  error: ({ input }) => `There is no kind “${String(input).slice(0, 60)}”. There are ${platformKinds().join(", ")}.`,
});
/** Kinds of what platforms have. */
const platformKinds = () =>
  allKinds().flatMap(([one]) => (/^(host|net|storage|platform|db|app)\./.test(one) ? [one] : []));
const fieldName = z.string().min(1).max(60);

/** How requests are signed in; the secrets are those of a credential, by the names in braces. */
const signIn = z.discriminatedUnion("scheme", [
  z.strictObject({ scheme: z.literal("none") }),
  /** A key in a header of its own. */
  z.strictObject({ scheme: z.literal("key"), header: headerName, prefix: z.string().max(40).default("") }),
  z.strictObject({ scheme: z.literal("basic") }),
  /** RFC 6749 §4.4: client credentials for a token that expires. */
  z.strictObject({
    scheme: z.literal("oauth2"),
    path,
    scope: z.string().max(200).default(""),
    /** Client id and secret in the header (RFC 6749 §2.3.1) or in the form. */
    send: z.enum(["header", "form"]).default("header"),
  }),
  /** RFC 2104: a code over what is asked for. */
  z.strictObject({
    scheme: z.literal("signed"),
    hash: z.enum(["sha256", "sha384", "sha512"]).default("sha256"),
    encoding: z.enum(["hex", "base64"]).default("hex"),
    time: z.enum(["iso", "seconds", "milliseconds"]).default("iso"),
    /** What is signed: {method} {path} {query} {time} {body-hash} {key-id}. */
    over: words(400),
    headers: z.record(headerName, z.string().max(300)),
  }),
]);

const paging = z.discriminatedUnion("by", [
  z.strictObject({ by: z.literal("none") }),
  /** The answer names what to ask with for the next page. */
  z.strictObject({ by: z.literal("cursor"), next: expression, as: fieldName }),
  /** RFC 8288, or an address in the answer. */
  z.strictObject({ by: z.literal("link"), next: expression.optional() }),
  z.strictObject({
    by: z.literal("offset"),
    as: fieldName,
    sizeAs: fieldName,
    size: z.number().int().min(1).max(10_000).default(100),
    /** How many there are in all, where an answer says so; else it is read until a page is empty. */
    total: expression.optional(),
  }),
  /** Page after page until one is empty. */
  z.strictObject({
    by: z.literal("page"),
    as: fieldName,
    first: z.number().int().min(0).max(1).default(1),
  }),
]);

const RELATIONS = [
  "runs-on",
  "hosted-by",
  "talks-to",
  "part-of",
  "stored-on",
  "wired-to",
] as const satisfies readonly RelationType[];

/** What is asked for and how its answer comes in pages. */
const call = {
  path,
  query: queries,
  method: z.enum(["GET", "POST"]).default("GET"),
  /** Sent with POST; {ids} and the like are filled in. */
  body: z.string().max(4000).optional(),
  /** What in an answer are its items; the whole answer when left out. */
  items: expression.optional(),
  paging: paging.default({ by: "none" }),
  /** Once for each region. */
  perRegion: z.boolean().default(false),
};

const list = z.strictObject({
  name: id,
  ...call,
  kind,
  /** Other kinds, where an expression holds; the first that does. */
  kinds: z
    .array(z.strictObject({ when: expression, is: kind }))
    .max(20)
    .default([]),
  key: expression,
  label: expression,
  facts: z.record(fieldName, expression).default({}),
  labels: z.partialRecord(z.enum(LABELS), expression).default({}),
  /** An object of names and values. */
  tags: expression.optional(),
  state: expression.optional(),
  /** States in which it is not there any more, and in which it does not run. */
  gone: z.array(z.string().max(60)).max(20).default([]),
  off: z.array(z.string().max(60)).max(20).default([]),
  since: expression.optional(),
  addresses: expression.optional(),
  hardwareAddresses: expression.optional(),
  machine: expression.optional(),
  hostName: expression.optional(),
  /** Region of an item, where the list is of all regions at once. */
  region: expression.optional(),
  relations: z
    .array(
      z.strictObject({
        type: z.enum(RELATIONS),
        list: id,
        to: expression,
        /** Whether the other is the beginning of it. */
        back: z.boolean().default(false),
      }),
    )
    .max(20)
    .default([]),
  /** Figures that stand in the item itself, by name of the metric. */
  figures: z
    .record(
      z.string().max(80),
      z.strictObject({ value: expression, unit: z.string().max(20), times: z.number().default(1) }),
    )
    .default({}),
});

const metrics = z.strictObject({
  /** List whose items it is about. */
  list: id,
  ...call,
  /** Items asked for at once, as {ids}; 0 for all without naming them. */
  batch: z.number().int().min(0).max(1000).default(0),
  /** What stands between the ids of a batch. */
  between: z.string().max(8).default(","),
  /** Of each row of the answer. */
  key: expression,
  metric: expression,
  value: expression,
  at: expression.optional(),
  /** Metrics by their names there. */
  names: z.record(
    z.string().max(120),
    z.strictObject({
      metric: z.string().min(1).max(80),
      unit: z.string().max(20),
      times: z.number().default(1),
      instance: z.string().max(80).default(""),
    }),
  ),
});

/** Columns that are the account's own where a mapping does not say them. */
const OF_ACCOUNT: ReadonlySet<string> = new Set(["BillingAccountId", "BillingAccountName", "ProviderName"]);

/** What is charged for, a month at a time: {month} is "2026-03", {from} and {to} are its first instant and the one after it. */
const costs = z.strictObject({
  ...call,
  /** Costs change late and seldom. */
  everyHours: z.number().min(0.1).max(48).default(1),
  /** Months before the present one that are asked for at first. */
  months: z.number().int().min(0).max(36).default(13),
  /** Columns of FOCUS, of each line of the answer. */
  columns: z.record(z.string().max(60), expression).superRefine((columns, context) => {
    for (const name of Object.keys(columns))
      if (!isFocusColumn(name)) context.addIssue(`FOCUS has no column “${name.slice(0, 60)}”.`);
    const lacking = NEEDED.filter((name) => !(name in columns) && !OF_ACCOUNT.has(name));
    if (lacking.length) context.addIssue(`It lacks ${lacking.join(", ")}.`);
  }),
});

/**
 * How a REST interface is read: a file, so that a new platform takes no release. Names in braces in paths, queries and
 * bodies are filled in: {region}, {account}, {ids}, {id}, {from}, {to}.
 */
export const mappingSchema = z.strictObject({
  name: words(60),
  about: z.string().trim().max(200).default(""),
  signIn: signIn.default({ scheme: "none" }),
  limits: z
    .strictObject({
      perSecond: z.number().min(0.1).max(1000).default(20),
      atOnce: z.number().int().min(1).max(16).default(4),
    })
    .default({ perSecond: 20, atOnce: 4 }),
  /** Whose account it is: a token of another one is noticed by it. */
  account: z.strictObject({ path, id: expression, name: expression }),
  regions: z
    .strictObject({
      ...call,
      key: expression,
      label: expression,
      state: expression.optional(),
      /** States in which it is not to be asked. */
      off: z.array(z.string().max(60)).max(20).default([]),
    })
    .optional(),
  lists: z.array(list).min(1, "A mapping maps at least one list.").max(60),
  metrics: z.array(metrics).max(60).default([]),
  costs: costs.optional(),
});

export type Mapping = z.infer<typeof mappingSchema>;
export type MappedList = Mapping["lists"][number];
export type MappedCosts = NonNullable<Mapping["costs"]>;
export type MappedMetrics = Mapping["metrics"][number];
export type MappedCall = Pick<MappedList, "path" | "query" | "method" | "body" | "items" | "paging" | "perRegion">;
export type SignIn = Mapping["signIn"];

export type MappingResult = { ok: true; mapping: Mapping } | { ok: false; problems: string[] };

const MOST_PROBLEMS = 12;

/** Reads a mapping from JSON; every problem is a sentence that names its place. */
export function parseMapping(text: string): MappingResult {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    return { ok: false, problems: [`This is no JSON: ${error instanceof Error ? error.message : String(error)}.`] };
  }
  const parsed = mappingSchema.safeParse(json);
  if (!parsed.success)
    return {
      ok: false,
      problems: parsed.error.issues
        .slice(0, MOST_PROBLEMS)
        .map(({ path: at, message }) => `${placeIn(json, at)}: ${message}`),
    };
  const problems = [...wrongNames(parsed.data)];
  return problems.length
    ? { ok: false, problems: problems.slice(0, MOST_PROBLEMS) }
    : { ok: true, mapping: parsed.data };
}

/** "lists › machines › facts": where something stands, with the names of lists in place of their numbers. */
function placeIn(json: unknown, path: readonly PropertyKey[]): string {
  const words: string[] = [];
  let at: unknown = json;
  for (const step of path) {
    at = at !== null && typeof at === "object" ? (at as Record<PropertyKey, unknown>)[step] : undefined;
    const named =
      typeof step === "number" && at !== null && typeof at === "object"
        ? (at as { name?: unknown; list?: unknown })
        : {};
    words.push(String(named.name ?? named.list ?? (typeof step === "number" ? step + 1 : step)));
  }
  return words.join(" › ") || "The mapping";
}

function* wrongNames({ lists, metrics: calls, regions, costs: charged }: Mapping): Generator<string> {
  const names = new Set<string>();
  for (const one of lists) {
    if (names.has(one.name)) yield `lists: two are called “${one.name}”.`;
    names.add(one.name);
  }
  for (const one of lists) {
    for (const { list: other } of one.relations)
      if (!names.has(other)) yield `lists › ${one.name} › relations: there is no list “${other}”.`;
    if (one.perRegion && !regions) yield `lists › ${one.name}: it is asked for each region, but no regions are mapped.`;
  }
  if (charged?.perRegion && !regions) yield "costs: they are asked for each region, but no regions are mapped.";
  for (const one of calls) {
    if (!names.has(one.list)) yield `metrics › ${one.list}: there is no list of this name.`;
    if (one.perRegion && !regions)
      yield `metrics › ${one.list}: it is asked for each region, but no regions are mapped.`;
  }
}

/** A mapping whose expressions are compiled, each text once. */
export class CompiledMapping {
  private readonly known = new Map<string, Expression>();

  constructor(readonly mapping: Mapping) {}

  /** What an expression makes of a value. Throws an ExpressionFailure. */
  of(text: string, value: unknown): unknown {
    let expression = this.known.get(text);
    if (!expression) this.known.set(text, (expression = compileExpression(text)));
    return expression.of(value);
  }
}
