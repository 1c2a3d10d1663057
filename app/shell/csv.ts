/** One cell of CSV (RFC 4180); what a spreadsheet would take for a formula is kept from being one. */
export function csvCell(value: string | number | null): string {
  if (value === null) return "";
  if (typeof value === "number") return String(value);
  const text = /^[=+\-@\t\r]/.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

export const csvAnswer = (rows: readonly (readonly (string | number | null)[])[], name: string) =>
  new Response(rows.map((row) => `${row.map(csvCell).join(",")}\r\n`).join(""), {
    headers: { "Content-Type": "text/csv; charset=utf-8", "Content-Disposition": `attachment; filename="${name}.csv"` },
  });
