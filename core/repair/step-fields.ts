import { z } from "zod";
import { STEP_SCHEMAS, type StepType } from "./steps/registry";

/** One field of a step's form. */
export interface StepField {
  name: string;
  label: string;
  type: "text" | "lines" | "number" | "choice" | "words" | "numbers" | "json";
  unit: string;
  choices: readonly { value: string; label: string }[];
  /** It may be left empty. */
  optional: boolean;
}

interface JsonField {
  type?: string;
  title?: string;
  unit?: string;
  enum?: string[];
  choices?: string[];
  lines?: boolean;
  items?: { type?: string };
}

/** Written beside the form: the steps inside, and what takes a step back. */
const APART: ReadonlySet<string> = new Set(["type", "do", "otherwise", "steps", "undo"]);

/** The fields of a kind of step, from its schema: those with a title. */
export function stepFields(type: StepType): StepField[] {
  const json = z.toJSONSchema(STEP_SCHEMAS[type], { unrepresentable: "any", io: "input" }) as {
    properties?: Record<string, JsonField>;
    required?: string[];
  };
  return Object.entries(json.properties ?? {}).flatMap(([name, field]) =>
    APART.has(name) || field.title === undefined
      ? []
      : [
          {
            name,
            label: field.title,
            type: typeOf(field),
            unit: field.unit ?? "",
            choices: (field.enum ?? []).map((value, index) => ({ value, label: field.choices?.[index] ?? value })),
            optional: !(json.required ?? []).includes(name),
          },
        ],
  );
}

function typeOf(field: JsonField): StepField["type"] {
  if (field.enum) return "choice";
  if (field.type === "array") return field.items?.type === "string" ? "words" : "numbers";
  if (field.type === "number" || field.type === "integer") return "number";
  if (field.type === "string") return field.lines ? "lines" : "text";
  return "json";
}

/** A field's value as text for its form: words one a line, JSON for what is deeper. */
export function fieldText(field: StepField, value: unknown): string {
  if (value === undefined || value === null) return "";
  if (field.type === "words" && Array.isArray(value)) return value.join("\n");
  if (field.type === "numbers" && Array.isArray(value)) return value.join(", ");
  return field.type === "json" ? JSON.stringify(value) : String(value);
}

/** The value that a text stands for; undefined where it is left empty, the text itself where it cannot be read. */
export function fieldValue(field: StepField, text: string): unknown {
  if (text.trim() === "") return undefined;
  if (field.type === "words") return text.split("\n").filter((line) => line !== "");
  if (field.type === "numbers")
    return text
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(Number);
  if (field.type === "number") return Number(text);
  if (field.type !== "json") return text;
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}
