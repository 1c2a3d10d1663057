import { redirect } from "react-router";
import type { Route } from "./+types/signals.start";

/** Signals opens on its metrics, in the same window. */
export function loader({ request }: Route.LoaderArgs) {
  throw redirect(`/signals/metrics${new URL(request.url).search}`);
}
