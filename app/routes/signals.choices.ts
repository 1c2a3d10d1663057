import type { Route } from "./+types/signals.choices";

/** What a few letters could mean when lines are added. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const text = (new URL(request.url).searchParams.get("q") ?? "").slice(0, 80);
  return context.ask("seriesChoices", { text });
}
