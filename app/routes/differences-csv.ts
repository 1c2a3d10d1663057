import type { Route } from "./+types/differences-csv";
import { csvAnswer } from "../shell/csv";
import { windowOf } from "../shell/window.server";

/** The differences of two instants as CSV, one row each. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, atMs } = windowOf(request, context.now());
  const search = (new URL(request.url).searchParams.get("q") ?? "").trim().slice(0, 80);
  const found = await context.ask("differences", { fromMs, toMs: atMs, search });
  const when = (ms: number) => new Date(ms).toISOString();
  return csvAnswer(
    [
      ["what", "component", "name", "was", "is", "when"],
      ...found.came.map((one) => ["came", one.name, one.kind, "", "", when(one.at)]),
      ...found.left.map((one) => ["left", one.name, one.kind, "", "", when(one.at)]),
      ...found.facts.map((one) => ["fact", one.component, one.name, one.before ?? "", one.after ?? "", ""]),
      ...found.labels.map((one) => ["label", one.component, one.name, one.before ?? "", one.after ?? "", ""]),
      ...found.joined.map((one) => [
        "relation",
        one.fromName,
        one.type,
        "",
        `${one.toName} ${one.detail}`,
        when(one.at),
      ]),
      ...found.parted.map((one) => [
        "relation",
        one.fromName,
        one.type,
        `${one.toName} ${one.detail}`,
        "",
        when(one.at),
      ]),
    ],
    "differences",
  );
}
