import { readSelection } from "#core/telemetry/selection";
import { overlayAsked, windowOf } from "./window.server";

const MOST_SELECTIONS = 12;

/** What an address asks of the page of metrics; entries that cannot be understood are told of. */
export function metricsAsked(request: Request, nowMs: number) {
  const params = new URL(request.url).searchParams;
  const given = params.getAll("line").slice(0, MOST_SELECTIONS);
  const selections = given.flatMap((text) => readSelection(text) ?? []);
  const wrong = given.length - selections.length;
  const bound = (name: string) => {
    const value = params.get(name);
    return value !== null && value.trim() !== "" && Number.isFinite(Number(value)) ? Number(value) : null;
  };
  const { fromMs, toMs } = windowOf(request, nowMs);
  return {
    fromMs,
    toMs,
    selections,
    overlay: overlayAsked(request),
    view: params.get("view") === "bars" ? ("bars" as const) : ("lines" as const),
    lowest: bound("low"),
    highest: bound("high"),
    problem: wrong
      ? `${wrong === 1 ? "One line" : `${wrong} lines`} of this address cannot be understood and ${wrong === 1 ? "is" : "are"} left out. Add ${wrong === 1 ? "it" : "them"} again below.`
      : null,
  };
}
