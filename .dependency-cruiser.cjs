/** Which room may import which; see docs/architecture.md. */
module.exports = {
  forbidden: [
    {
      name: "core-is-alone",
      comment: "core/ knows no I/O, no interface and no other room.",
      severity: "error",
      from: { path: "^core/", pathNot: "\\.test\\.ts$" },
      to: { path: "^(server|app|standins|tests|bench)/" },
    },
    {
      name: "core-is-pure",
      comment: "core/ uses nothing of the machine.",
      severity: "error",
      from: { path: "^core/", pathNot: "\\.test\\.ts$" },
      to: { dependencyTypes: ["core"] },
    },
    { name: "server-knows-no-page", severity: "error", from: { path: "^server/" }, to: { path: "^(app|standins)/" } },
    {
      name: "standins-know-no-server",
      severity: "error",
      from: { path: "^standins/", pathNot: "\\.test\\.ts$" },
      to: { path: "^(server|app)/" },
    },
    {
      name: "the-agent-stands-alone",
      comment: "agent/ is copied to other machines as one file; what it measures as others do is worked out in core/.",
      severity: "error",
      from: { path: "^agent/", pathNot: "\\.test\\.ts$" },
      to: {
        path: "^(app|server|standins)/|^core/(?!telemetry/disk-use)|node_modules",
        dependencyTypesNot: ["core"],
      },
    },
    {
      name: "only-the-store-speaks-sql",
      comment: "better-sqlite3 is opened in one place.",
      severity: "error",
      from: { path: "^(app|core|standins|server)/", pathNot: "^server/store/database\\.ts$" },
      to: { path: "node_modules/better-sqlite3" },
    },
    {
      name: "pages-take-types-from-the-server",
      comment: "What a browser loads takes only types of the server; loaders and actions may take settings' schemas.",
      severity: "error",
      from: { path: "^app/", pathNot: "\\.server\\.ts$|^app/routes/" },
      to: { path: "^server/", dependencyTypesNot: ["type-only"] },
    },
    {
      name: "pages-and-commands-know-the-store-only",
      comment: "What reads and what writes for people is told of the parts that run by ports, never reaches into them.",
      severity: "error",
      from: { path: "^server/(pages|commands)/", pathNot: "\\.test\\.ts$" },
      to: {
        path: "^server/(alarms|demo|engine|estate|http|incidents|ingest|polling|receivers|repair|threads|workbench)/",
        dependencyTypesNot: ["type-only"],
      },
    },
    {
      name: "sources-and-receivers-know-no-store",
      comment: "They hand over what they find or are sent; who keeps it is not their business.",
      severity: "error",
      from: { path: "^server/(sources|receivers|outside)/", pathNot: "\\.test\\.ts$" },
      to: { path: "^server/(store|engine|estate|ingest|alarms|incidents|commands|pages)/" },
    },
    {
      name: "the-store-knows-nobody",
      severity: "error",
      from: { path: "^server/store/", pathNot: "\\.test\\.ts$" },
      to: { path: "^server/(?!store/)" },
    },
    {
      name: "only-the-engine-composes",
      comment: "Nothing but the threads knows the engine.",
      severity: "error",
      from: { path: "^server/", pathNot: "^server/(engine|threads)/|\\.test\\.ts$" },
      to: { path: "^server/engine/", dependencyTypesNot: ["type-only"] },
    },
    {
      name: "the-demonstration-is-apart",
      comment: "Only the engine knows that there is a demonstration, and commands its drills' type.",
      severity: "error",
      from: { path: "^(server|app)/", pathNot: "^server/(engine|demo)/|\\.test\\.ts$" },
      to: { path: "^server/demo/", dependencyTypesNot: ["type-only"] },
    },
    {
      name: "no-circles",
      severity: "error",
      from: {},
      to: { circular: true, dependencyTypesNot: ["type-only"], viaOnly: { dependencyTypesNot: ["type-only"] } },
    },
  ],
  options: {
    tsConfig: { fileName: "tsconfig.json" },
    tsPreCompilationDeps: true,
    doNotFollow: { path: "node_modules" },
    exclude: { path: "\\.react-router|/\\+types/" },
  },
};
