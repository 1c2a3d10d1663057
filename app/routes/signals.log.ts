import type { Route } from "./+types/signals.log";
import { idFrom, missing } from "../shell/answers.server";

/** One log record with what its sender said before and after; loaded when its row is opened. */
export async function loader({ params, context }: Route.LoaderArgs) {
  const id = idFrom(params.id, "log record");
  const found = await context.ask("log", { id });
  if (!found) throw missing("log record", id);
  return found;
}
