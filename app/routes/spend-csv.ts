import { dimensionLabel } from "#core/spend/cube";
import { monthText } from "#core/units/money";
import type { Route } from "./+types/spend-csv";
import { csvAnswer } from "../shell/csv";
import { spendAskedOf, spendQuestion } from "../shell/spend";

/** The table of spend as CSV, in the currency of reporting. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const asked = spendAskedOf(request);
  const page = await context.ask("spend", spendQuestion(asked, context.now()));
  if (page.period === null) return csvAnswer([["no costs are known"]], "spend");
  const cents = (value: number | undefined) => (value === undefined ? null : Math.round(value * 100) / 100);
  return csvAnswer(
    [
      [
        dimensionLabel(asked.by).toLowerCase(),
        `spent (${page.currency})`,
        "same days of the month before",
        "forecast",
        "forecast low",
        "forecast high",
        "budget",
      ],
      ...page.groups.map((one) => [
        one.label,
        cents(one.spent) ?? 0,
        cents(one.before) ?? 0,
        cents(one.forecast?.total),
        cents(one.forecast?.low),
        cents(one.forecast?.high),
        one.budget,
      ]),
    ],
    `spend-${monthText(page.period.monthMs)}-by-${asked.by.replaceAll(/[^\w-]+/g, "-")}`,
  );
}
