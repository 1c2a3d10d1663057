import type { Route } from "./+types/service-signals";
import { overlayAsked, windowOf } from "../shell/window.server";

/** What the members of a service measure, for its page: asked for once that stands. */
export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { fromMs, toMs } = windowOf(request, context.now());
  const uid = params.uid.slice(0, 60);
  const signals = await context.ask("serviceSignals", { uid, fromMs, toMs, overlay: overlayAsked(request) });
  return { signals, fromMs, toMs };
}
