import { Sketch } from "#core/telemetry/sketch";
import { operationFigures } from "../store/call-figures";
import type { Db } from "../store/database";
import { answeredFor } from "../store/objective-calls";
import { browserResourcesOf } from "../store/resources";
import type { ServiceDetails } from "../store/services";
import { operationsOf } from "../store/spans";
import type { Entered } from "../store/ways-in";

/** How far a service kept to a limit for its response times in a window. */
export interface Promised {
  side: "server" | "browser";
  limitMs: number;
  calls: number;
  /** Of the calls that did not take longer; null without calls. */
  share: number | null;
  p95Ms: number | null;
}

/** What the document-load instrumentation of OpenTelemetry for browsers calls the loading of a page. */
const PAGE_LOAD = "documentLoad";

/**
 * Limits of a service against what was measured: at the server, the answers of its entry points; in the browser, the
 * loading of pages, where browsers send that as spans with the service's name.
 */
export function promisesOf(
  db: Db,
  service: { uid: string; name: string; details: ServiceDetails },
  entered: Entered,
  { fromMs, toMs }: { fromMs: number; toMs: number },
): Promised[] {
  const { serverLimitMs, browserLimitMs } = service.details;
  const measure = (side: Promised["side"], limitMs: number, operations: readonly { id: number }[]): Promised => {
    const all = new Sketch();
    for (const { sketch } of operationFigures(
      db,
      operations.map((one) => one.id),
      fromMs,
      toMs,
    ).values())
      all.merge(sketch);
    return {
      side,
      limitMs,
      calls: all.count,
      share: all.count ? all.atMost(limitMs * 1000) / all.count : null,
      p95Ms: all.count ? all.quantile(0.95) / 1000 : null,
    };
  };
  return [
    ...(serverLimitMs ? [measure("server", serverLimitMs, answeredFor(db, entered))] : []),
    ...(browserLimitMs
      ? [
          measure(
            "browser",
            browserLimitMs,
            operationsOf(db, browserResourcesOf(db, [service.name, service.uid])).filter(
              (one) => one.name === PAGE_LOAD,
            ),
          ),
        ]
      : []),
  ];
}
