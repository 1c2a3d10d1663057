import type { Route } from "./+types/runbook-yaml";
import { idFrom, missing } from "../shell/answers.server";

/** A runbook as a file; what is given out can be taken in again. */
export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("runbook", { id: idFrom(params.id, "runbook") });
  if (!page) throw missing("runbook", params.id);
  return new Response(page.text, {
    headers: {
      "Content-Type": "application/yaml; charset=utf-8",
      "Content-Disposition": `attachment; filename="${page.runbook.uid}.yaml"`,
    },
  });
}
