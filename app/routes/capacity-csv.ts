import type { Route } from "./+types/capacity-csv";
import { csvAnswer } from "../shell/csv";
import { windowOf } from "../shell/window.server";

/** Capacity of every host that carries machines, as CSV. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { rows } = await context.ask("capacities", {
    sort: new URL(request.url).searchParams.get("sort") ?? "name",
    order: new URL(request.url).searchParams.get("order") === "desc" ? "desc" : "asc",
    ...windowOf(request, context.now()),
  });
  return csvAnswer(
    [
      [
        "host",
        "site",
        "running",
        "processors",
        "processors allotted (%)",
        "processors used, mean (%)",
        "processors used, highest (%)",
        "memory (bytes)",
        "memory allotted (%)",
        "memory used, mean (%)",
        "memory used, highest (%)",
      ],
      ...rows.map((one) => [
        one.name,
        one.site,
        one.guests,
        one.processors,
        one.cpuAllotted,
        one.cpu?.mean ?? null,
        one.cpu?.highest ?? null,
        one.memory,
        one.memoryAllotted,
        one.memoryUsed?.mean ?? null,
        one.memoryUsed?.highest ?? null,
      ]),
    ],
    "capacity",
  );
}
