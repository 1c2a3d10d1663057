import type { Route } from "./+types/platform-csv";
import { idFrom, missing } from "../shell/answers.server";
import { csvAnswer } from "../shell/csv";
import { listAskedOf, listQuestion } from "../shell/platform-list";
import { windowOf } from "../shell/window.server";

const MOST_ROWS = 50_000;

/** A list of a platform as CSV, all of it, in the order of the page. */
export async function loader({ request, params, context }: Route.LoaderArgs) {
  const id = idFrom(params.id, "platform");
  const asked = { ...listAskedOf(request), page: 0 };
  const page = await context.ask(
    "platform",
    listQuestion(asked, { id, size: MOST_ROWS, ...windowOf(request, context.now()) }),
  );
  if (!page) throw missing("platform", params.id);
  const unitOf = (index: number) => page.rows.find((row) => row.figures[index])?.figures[index]?.unit ?? "";
  return csvAnswer(
    [
      [
        "name",
        "kind",
        "region",
        ...page.factNames,
        ...page.metrics.map((one, index) => `${one.metric} (${unitOf(index)})`),
      ],
      ...page.rows.map((row) => [
        row.name,
        row.kind,
        row.region ?? "",
        ...page.factNames.map((fact) => row.facts[fact] ?? ""),
        ...row.figures.map((figure) => figure?.value ?? null),
      ]),
    ],
    `${page.component.name}-${page.group}`.replaceAll(/[^\w.-]+/g, "-"),
  );
}
