const BINARY = ["B", "KiB", "MiB", "GiB", "TiB", "PiB"] as const;
const DECIMAL = ["", "k", "M", "G", "T"] as const;

function scaled(value: number, base: number, names: readonly string[]): [number, string] {
  let step = 0;
  let rest = Math.abs(value);
  while (rest >= base && step < names.length - 1) {
    rest /= base;
    step++;
  }
  return [Math.sign(value) * rest, names[step] ?? ""];
}

const digits = (value: number) =>
  Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : Math.abs(value) >= 0.1 || value === 0 ? 2 : 4;
const trimmed = (value: number, most = digits(value)) => String(Number(value.toFixed(most)));

/** The same in two parts, for a large number with its unit set small beside it. */
export function valueParts(value: number | null | undefined, unit: string): [number: string, unit: string] {
  const text = formatValue(value, unit);
  const place = /^-?[\d.]+/.exec(text)?.[0].length;
  return place === undefined ? [text, ""] : [text.slice(0, place), text.slice(place).trim()];
}

/**
 * A value with its unit (as the Unified Code for Units of Measure writes it), rounded for people: "91.3 %", "3.4 GiB",
 * "12 Mbit/s".
 */
export function formatValue(value: number | null | undefined, unit: string): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "no data";
  switch (unit) {
    case "%":
      return `${value.toFixed(Math.abs(value) >= 99.95 ? 0 : 1)} %`;
    case "By": {
      const [number, name] = scaled(value, 1024, BINARY);
      return `${trimmed(number)} ${name}`;
    }
    case "bit/s": {
      const [number, name] = scaled(value, 1000, DECIMAL);
      return `${trimmed(number)} ${name}bit/s`;
    }
    case "1/h":
      return `${trimmed(value, value >= 10 ? 0 : 1)} per hour`;
    case "1/min":
      return `${trimmed(value, value >= 10 ? 0 : 1)} per min`;
    case "1/s":
      return `${trimmed(value)} /s`;
    case "ms":
      return value >= 1000 ? `${trimmed(value / 1000)} s` : `${trimmed(value)} ms`;
    case "s":
      return Math.abs(value) < 1 && value !== 0 ? `${trimmed(value * 1000)} ms` : `${trimmed(value)} s`;
    case "0/1":
      return value >= 0.5 ? "yes" : "no";
    case "1":
      return trimmed(value, Math.abs(value) >= 10 ? 0 : 2);
    case "{cpu}":
      return `${trimmed(value)} CPU`;
    default: {
      // What stands in braces is an annotation, not a unit (UCUM §12): a thing that is counted.
      const number = trimmed(value);
      return `${number} ${unit.replaceAll(/\{([^{}]*)\}/g, (_, thing: string) => several(thing, number))}`.trim();
    }
  }
}

/** A value at a mark of an axis: what is counted is named beside the drawing, not at each mark. */
export const markText = (value: number, unit: string): string =>
  formatValue(value, /^\{[^{}]*\}$/.test(unit) ? "1" : unit);

const several = (thing: string, number: string) => (number === "1" || !/[a-rt-z]$/.test(thing) ? thing : `${thing}s`);

/** Rounded to what a drawing shows; null for what is no number. */
export const finiteOrNull = (value: number): number | null =>
  Number.isFinite(value) ? Number(value.toPrecision(7)) : null;
