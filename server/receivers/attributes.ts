import { keptText } from "#core/telemetry/text";
import { LIMITS } from "./limits";
import type { AnyValue, Attribute } from "./otlp-types";

/** Whether a text is an identifier of W3C Trace Context of so many digits. */
export const isId = (text: string, digits: number) =>
  text.length === digits && /^[0-9a-f]+$/.test(text) && !/^0+$/.test(text);

/** A value as text; lists and maps as JSON. */
export const textOf = (value: AnyValue): string =>
  typeof value === "string"
    ? value
    : value === null
      ? ""
      : typeof value === "object"
        ? JSON.stringify(value)
        : String(value);

/** Attributes as an object, no more and no longer than is kept. */
export function bounded(list: readonly Attribute[]): Record<string, AnyValue> {
  const attributes: Record<string, AnyValue> = {};
  for (const [key, value] of list.slice(0, LIMITS.logAttributes))
    attributes[keptText(key, LIMITS.attributeKey)] = typeof value === "string" ? keptText(value, 4096) : value;
  if (list.length > LIMITS.logAttributes) attributes["attributes left out"] = list.length - LIMITS.logAttributes;
  return attributes;
}

/**
 * Attributes as what tells series apart: "name=value, name=value", sorted; a lone "instance" as its value; undefined
 * when there are too many.
 */
export function instanceOf(attributes: readonly Attribute[]): string | undefined {
  if (attributes.length === 0) return "";
  if (attributes.length > LIMITS.pointAttributes) return undefined;
  // Our own agent tells disks and interfaces apart by nothing else, as polls do.
  if (attributes.length === 1 && attributes[0]?.[0] === "instance")
    return keptText(textOf(attributes[0][1]), LIMITS.attributeValue);
  const parts = attributes.map(
    ([key, value]) => `${keptText(key, LIMITS.attributeKey)}=${keptText(textOf(value), LIMITS.attributeValue)}`,
  );
  return (parts.length > 1 ? parts.sort() : parts).join(", ");
}
