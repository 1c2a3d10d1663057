/** An amount of a currency for people: “€1,240”, “€3.27”; whole units from a hundred on. */
export function formatMoney(value: number, currency: string): string {
  const whole = Math.abs(value) >= 100;
  const plain = Math.abs(value) < 0.005 ? 0 : value;
  try {
    return new Intl.NumberFormat("en-GB", {
      style: "currency",
      currency,
      currencyDisplay: "narrowSymbol",
      minimumFractionDigits: whole ? 0 : 2,
      maximumFractionDigits: whole ? 0 : 2,
    }).format(plain);
  } catch {
    return `${plain.toFixed(whole ? 0 : 2)} ${currency}`;
  }
}

/** “+12 %”, “−3 %”, or a dash where there is nothing to compare with. */
export function formatChange(now: number, before: number): string {
  if (Math.abs(before) < 0.005) return now > 0.005 ? "new" : "–";
  const percent = Math.round((100 * (now - before)) / Math.abs(before));
  return percent === 0 ? "0 %" : `${percent > 0 ? "+" : "−"}${Math.abs(percent).toLocaleString("en-GB")} %`;
}

const MONTHS = [
  "January",
  "February",
  "March",
  "April",
  "May",
  "June",
  "July",
  "August",
  "September",
  "October",
  "November",
  "December",
] as const;
export const monthName = (ms: number): string => MONTHS[new Date(ms).getUTCMonth()] as string;
export const monthAndYear = (ms: number): string => `${monthName(ms)} ${new Date(ms).getUTCFullYear()}`;
/** “16 March”. */
export const dayAndMonth = (ms: number): string => `${new Date(ms).getUTCDate()} ${monthName(ms)}`;
/** “2026-03”. */
export const monthText = (ms: number): string => new Date(ms).toISOString().slice(0, 7);
