import { FOCUS_COLUMNS } from "#core/spend/focus";
import type { LinePlace } from "#server/pages/spend-lines";
import type { Route } from "./+types/spend-focus";
import { csvCell } from "../shell/csv";

/** Amounts stay numbers, negative ones too; texts are kept from being formulas. */
const cell = (text: string) => (/^-?\d[\d.e+-]*$/.test(text) ? text : csvCell(text));

interface Part {
  rows: string[][];
  next: LinePlace | null;
}

/** Everything that was taken in, in the format of FOCUS: a line for each charge and day. */
export function loader({ context }: Route.LoaderArgs) {
  // As a list of any length: the type of a tuple joined is a text of its own, too deep for the compiler.
  const columns: readonly string[] = FOCUS_COLUMNS;
  async function* lines(): AsyncGenerator<string, void, void> {
    yield `${columns.join(",")}\r\n`;
    let after: LinePlace | null = null;
    do {
      const part: Part = await context.ask("spendLines", { after });
      if (part.rows.length) yield part.rows.map((row) => `${row.map(cell).join(",")}\r\n`).join("");
      after = part.next;
    } while (after);
  }
  const parts = lines();
  const encoder = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { done, value } = await parts.next();
      if (done) controller.close();
      else controller.enqueue(encoder.encode(value));
    },
    async cancel() {
      await parts.return(undefined);
    },
  });
  return new Response(body, {
    headers: { "Content-Type": "text/csv; charset=utf-8", "Content-Disposition": 'attachment; filename="focus.csv"' },
  });
}
