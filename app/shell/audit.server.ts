import type { AuditFilter } from "#server/store/audit";
import { windowOf } from "./window.server";

/** What an address asks of the audit record. */
export function auditAsked(request: Request, nowMs: number): Required<AuditFilter> {
  const { fromMs, toMs } = windowOf(request, nowMs);
  const params = new URL(request.url).searchParams;
  const outcome = params.get("outcome");
  return {
    fromMs,
    toMs,
    search: (params.get("q") ?? "").trim().slice(0, 100),
    outcome: outcome === "done" || outcome === "refused" ? outcome : "",
    area: /^[a-z-]{1,40}$/.exec(params.get("area") ?? "")?.[0] ?? "",
  };
}
