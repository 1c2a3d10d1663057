import type { Route } from "./+types/find";

export function loader({ request, context }: Route.LoaderArgs) {
  const text = (new URL(request.url).searchParams.get("q") ?? "").trim().slice(0, 80);
  return context.ask("find", { text, atMs: context.now(), who: context.who?.name ?? "" });
}
