import { z } from "zod";
import { conditionProblem } from "../expression";
import { fillText, namesIn, type Words } from "../fill";
import { pathProblem } from "../json-path";
import { common, timeout } from "./step";

const called = {
  method: z.enum(["GET", "POST", "PUT", "PATCH", "DELETE"]).default("POST").meta({ title: "Method" }),
  url: z
    .string("Give the address.")
    .max(1000)
    .regex(/^https?:\/\//, "An address begins with https:// or http://.")
    .meta({ title: "Address" }),
  /** Name of a credential for HTTP in the vault; it must be meant for this address. */
  credential: z.string().max(80).optional().meta({ title: "Credential" }),
  /** JSON with placeholders inside its texts. */
  body: z.unknown().optional().meta({ title: "Body" }),
  /** Statuses that count as success. */
  accept: z.array(z.number().int().min(100).max(599)).min(1).default([200, 201, 202, 204]).meta({ title: "Statuses" }),
  /** What must hold of `status` and `body`, in CEL. */
  expect: z.string().max(500).optional().meta({ title: "Must hold" }),
  timeoutSeconds: timeout(30, 600),
};
export const undoCall = z.strictObject({ type: z.literal("http"), ...called });
export const httpStep = z.strictObject({
  type: z.literal("http"),
  ...common,
  ...called,
  /** Values taken out of the answer, by name: a query of RFC 9535. */
  take: z
    .record(z.string().regex(/^[a-z][a-z0-9_]{0,30}$/), z.string().max(300))
    .default({})
    .meta({ title: "Take from the answer" }),
  undo: undoCall.optional(),
});
export type HttpStep = z.infer<typeof httpStep>;
export type HttpCall = z.infer<typeof undoCall>;

/** An address with arguments put in: each is encoded (RFC 3986), so that none can leave the part of the address it stands in. */
export function fillAddress(url: string, words: Words): string {
  const encoded = Object.fromEntries(Object.entries(words).map(([name, value]) => [name, encodeURIComponent(value)]));
  return fillText(url, encoded);
}

/**
 * Why an argument must not stand in an address: servers decode %2F before they make a path simpler, so that one with a
 * part of dots leads out of the path however it is encoded.
 */
export function addressProblem(url: string, words: Words): string | undefined {
  const wrong = namesIn(url).find((name) =>
    (words[name] ?? "").split(/[/\\]/).some((part) => part === "." || part === ".."),
  );
  return wrong === undefined
    ? undefined
    : `{{${wrong}}} is “${words[wrong]}”, which would lead elsewhere in the address, so it was not called.`;
}

/** A body with arguments put into its texts; the shape of the JSON cannot change. */
export function fillBody(body: unknown, words: Words): unknown {
  if (typeof body === "string") return fillText(body, words);
  if (Array.isArray(body)) return body.map((one) => fillBody(one, words));
  if (body !== null && typeof body === "object")
    return Object.fromEntries(Object.entries(body).map(([key, one]) => [key, fillBody(one, words)]));
  return body;
}

const textsOf = (value: unknown): string[] =>
  typeof value === "string"
    ? [value]
    : value !== null && typeof value === "object"
      ? Object.values(value).flatMap(textsOf)
      : [];

/** A call of an HTTP interface. */
export const http = {
  type: "http",
  label: "HTTP call",
  about: "Calls an HTTP interface with a credential of the vault, and checks what it answers.",
  acts: true,
  texts: (step: HttpStep) => [
    step.url,
    ...textsOf(step.body),
    ...(step.undo ? [step.undo.url, ...textsOf(step.undo.body)] : []),
  ],
  words: (step: HttpCall, words: Words) =>
    `${step.method} ${fillAddress(step.url, words)}${step.body === undefined ? "" : ` ${JSON.stringify(fillBody(step.body, words))}`}`,
  refuses: (step: HttpCall, words: Words) => addressProblem(step.url, words),
  problems: (step: HttpStep) => [
    ...Object.entries(step.take).flatMap(([name, query]) => {
      const problem = pathProblem(query);
      return problem === undefined ? [] : [`${name}: ${problem}`];
    }),
    ...[step.expect, step.undo?.expect].flatMap((one) => (one === undefined ? [] : (conditionProblem(one) ?? []))),
  ],
};
