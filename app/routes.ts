import { index, layout, route, type RouteConfig } from "@react-router/dev/routes";

export default [
  layout("routes/page.tsx", [
  index("routes/watch.tsx"),
  route("discover", "routes/discover.tsx"),
  route("discover/sources/:id", "routes/source.tsx"),
  route("discover/sweeps/:id", "routes/sweep.tsx"),
  route("estate", "routes/estate.tsx"),
  route("estate/:id", "routes/component.tsx"),
  route("services/:uid", "routes/service.tsx"),
  route("map", "routes/map.tsx"),
  layout("routes/signals.tsx", [
    route("signals", "routes/signals.start.ts"),
    route("signals/metrics", "routes/signals.metrics.tsx"),
    route("signals/logs", "routes/signals.logs.tsx"),
    route("signals/traces", "routes/signals.traces.tsx"),
    route("signals/traces/:id", "routes/signals.trace.tsx"),
  ]),
  route("incidents", "routes/incidents.tsx"),
  route("incidents/:id", "routes/incident.tsx"),
  route("runbooks", "routes/runbooks.tsx"),
  route("runbooks/:id", "routes/runbook.tsx"),
  route("runs/:id", "routes/run.tsx"),
  layout("routes/setup.tsx", [
    route("setup", "routes/setup.about.tsx"),
    route("setup/drills", "routes/setup.drills.tsx"),
    route("setup/signals", "routes/setup.signals.tsx"),
    route("setup/rules", "routes/setup.rules.tsx"),
    route("setup/services", "routes/setup.services.tsx"),
  ]),
  route("*", "routes/missing.tsx"),
  ]),
  // Answers without a page.
  route("find", "routes/find.ts"),
  route("evidence", "routes/evidence.ts"),
  route("who", "routes/who.ts"),
  route("signals/logs/:id", "routes/signals.log.ts"),
  route("signals/choices", "routes/signals.choices.ts"),
  route("signals/metrics.csv", "routes/signals.metrics-csv.ts"),
  route("series/:id/figures.csv", "routes/series-csv.ts"),
] satisfies RouteConfig;
