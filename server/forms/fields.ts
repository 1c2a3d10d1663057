import { z } from "zod";
import type { Field } from "#core/forms/field";

interface JsonField {
  type?: string;
  title?: string;
  description?: string;
  default?: unknown;
  enum?: string[];
  /** A field that may be left empty. */
  anyOf?: unknown[];
  /** Set by `.meta({ lines: true })`. */
  lines?: boolean;
  /** Set by `.meta({ file: ".csv,.json" })`: lines that may be read from a file of such a kind. */
  file?: string;
  /** Set by `.meta({ choicesFrom: "mappings" })`: what can be chosen is known to the store. */
  choicesFrom?: string;
  /** Words for the choices, in the order of `enum`. */
  choices?: string[];
}

/**
 * The fields of a form, from a Zod object whose fields carry `.meta({ title, description })`.
 * @param values what stands in the fields at first; a field without one shows its default
 * @param choices what can be chosen where a field says that the store knows
 */
export function fieldsOf(
  schema: z.ZodType,
  values: Readonly<Record<string, unknown>> = {},
  choices: Readonly<Record<string, readonly string[]>> = {},
): Field[] {
  const json = z.toJSONSchema(schema, { unrepresentable: "any" }) as { properties?: Record<string, JsonField> };
  return Object.entries(json.properties ?? {}).map(([name, field]) => ({
    name,
    label: field.title ?? name,
    help: field.description ?? "",
    type: field.choicesFrom === undefined ? typeOf(field) : "choice",
    ...(field.file ? { file: field.file } : {}),
    value: textOf(values[name] ?? field.default),
    choices: (field.choicesFrom === undefined ? (field.enum ?? []) : (choices[field.choicesFrom] ?? [])).map(
      (value, index) => ({ value, label: field.choices?.[index] ?? value }),
    ),
  }));
}

function typeOf(field: JsonField): Field["type"] {
  if (field.enum) return "choice";
  if (field.type === undefined && field.anyOf) return "number";
  if (field.lines) return "lines";
  if (field.type === "boolean") return "boolean";
  return field.type === "number" || field.type === "integer" ? "number" : "text";
}

const textOf = (value: unknown): string => (value === undefined || value === null ? "" : String(value));
