/** Instants that are believed: 1990 to 2100. */
const FIRST_MS = 631_152_000_000;
const LAST_MS = 4_102_444_800_000;

/**
 * An instant as interfaces write it, in milliseconds: ISO 8601 (without a zone in UTC), or seconds, milliseconds,
 * microseconds or nanoseconds since 1970, told apart by their size. Undefined where it is none.
 */
export function readInstant(value: unknown): number | undefined {
  if (typeof value === "string" && !/^\d+(\.\d+)?$/.test(value.trim())) {
    const text = value.trim();
    const hasZone = /(?:z|[+-]\d{2}:?\d{2})$/i.test(text);
    const ms = Date.parse(
      /t/i.test(text) && !hasZone
        ? `${text}Z`
        : text.replace(/^(\S+) (\S+)$/, (_all, day: string, time: string) => `${day}T${time}${hasZone ? "" : "Z"}`),
    );
    return believed(ms);
  }
  const number = typeof value === "number" ? value : typeof value === "string" ? Number(value) : Number.NaN;
  if (!Number.isFinite(number) || number <= 0) return undefined;
  const scale = number < 1e11 ? 1000 : number < 1e14 ? 1 : number < 1e17 ? 1e-3 : 1e-6;
  return believed(Math.round(number * scale));
}

const believed = (ms: number) => (ms >= FIRST_MS && ms < LAST_MS ? ms : undefined);
