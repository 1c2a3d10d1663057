import { entriesInWords, SERVICE_COLUMNS } from "#core/estate/service-list";
import type { Route } from "./+types/services-csv";
import { csvAnswer } from "../shell/csv";

/** All services as a list that can be changed and taken in again. */
export async function loader({ context }: Route.LoaderArgs) {
  const services = await context.ask("services", { atMs: context.now() });
  return csvAnswer(
    [
      [...SERVICE_COLUMNS],
      ...services.map(({ name, purpose, owner, entries, details }) => [
        name,
        purpose,
        owner,
        entriesInWords(entries),
        details.hours ?? "",
        String(details.serverLimitMs ?? ""),
        String(details.browserLimitMs ?? ""),
        String(details.objectivePercent ?? ""),
        details.tells === "failures" ? "yes" : "",
        details.notes ?? "",
      ]),
    ],
    "services",
  );
}
