import { isDimension, type Dimension, type Filter } from "#core/spend/cube";

const MOST_FILTERS = 6;

/** How the page of spend is asked for in its address. */
export interface SpendAsked {
  month: string;
  by: Dimension;
  filters: Filter[];
  cost: "effective" | "billed";
}

export function spendAskedOf(request: Request): SpendAsked {
  const params = new URL(request.url).searchParams;
  const by = params.get("by") ?? "provider";
  const month = params.get("month") ?? "";
  return {
    month: /^20\d\d-(?:0[1-9]|1[0-2])$/.test(month) ? month : "",
    by: isDimension(by) ? by : "provider",
    filters: params
      .getAll("only")
      .slice(0, MOST_FILTERS)
      .flatMap((one) => {
        const cut = one.indexOf("=");
        const dimension = one.slice(0, cut);
        return cut > 0 && isDimension(dimension) ? [{ dimension, value: one.slice(cut + 1).slice(0, 300) }] : [];
      }),
    cost: params.get("cost") === "billed" ? "billed" : "effective",
  };
}

export const spendQuestion = (asked: SpendAsked, atMs: number) => ({
  atMs,
  monthMs: asked.month ? Date.parse(`${asked.month}-01T00:00:00Z`) : undefined,
  by: asked.by,
  filters: asked.filters,
  cost: asked.cost,
});

export const onlyText = ({ dimension, value }: Filter): string => `${dimension}=${value}`;
