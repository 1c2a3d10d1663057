import type { Route } from "./+types/run-output";
import { idFrom, missing } from "../shell/answers.server";

/** All that a step printed, as text. */
export async function loader({ params, context }: Route.LoaderArgs) {
  const position = Number(/^(\d{1,5})\.txt$/.exec(params.file ?? "")?.[1] ?? Number.NaN);
  const text = Number.isNaN(position)
    ? null
    : await context.ask("runOutput", { id: idFrom(params.id, "run"), position });
  if (text === null) throw missing("output", params.file);
  return new Response(text, {
    headers: {
      "Content-Type": "text/plain; charset=utf-8",
      "Content-Disposition": `attachment; filename="run-${params.id}-${position}.txt"`,
    },
  });
}
