import { FocusReader, LineProblem, type FocusColumn, type FocusLine } from "../spend/focus";
import { readInstant } from "./instant";
import type { CompiledMapping, MappedCosts } from "./mapping";
import type { PlatformAccount } from "./observe";

const INSTANTS: ReadonlySet<string> = new Set<FocusColumn>([
  "BillingPeriodEnd",
  "BillingPeriodStart",
  "ChargePeriodEnd",
  "ChargePeriodStart",
]);

/** Reads what an interface says of costs as lines of FOCUS. */
export class CostReader {
  private readonly columns: readonly (readonly [name: FocusColumn, text: string])[];
  private readonly fixed: readonly string[];
  private readonly reader: FocusReader;

  constructor(
    private readonly mapping: CompiledMapping,
    costs: MappedCosts,
    account: PlatformAccount,
  ) {
    this.columns = Object.entries(costs.columns) as [FocusColumn, string][];
    const own = Object.entries({
      BillingAccountId: account.id,
      BillingAccountName: account.name,
      ProviderName: account.platform,
    }).filter(([name]) => !(name in costs.columns));
    this.fixed = own.map(([, value]) => value);
    this.reader = new FocusReader([...this.columns.map(([name]) => name), ...own.map(([name]) => name)]);
  }

  /** Throws a LineProblem that says what is wrong with the line, or an ExpressionFailure. */
  async read(item: unknown): Promise<FocusLine> {
    const cells: string[] = [];
    for (const [name, text] of this.columns) cells.push(textIn(name, await this.mapping.of(text, item)));
    cells.push(...this.fixed);
    return this.reader.read(cells);
  }
}

function textIn(name: FocusColumn, value: unknown): string {
  if (value === undefined || value === null) return "";
  if (INSTANTS.has(name)) {
    const at = readInstant(value);
    if (at === undefined) throw new LineProblem(`${name} “${String(value).slice(0, 40)}” is no instant.`);
    return new Date(at).toISOString();
  }
  return typeof value === "object" ? JSON.stringify(value) : String(value as string | number | boolean);
}
