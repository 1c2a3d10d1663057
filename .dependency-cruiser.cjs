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
      comment: "agent/ is copied to other machines as one file.",
      severity: "error",
      from: { path: "^agent/", pathNot: "\\.test\\.ts$" },
      to: { path: "^(app|core|server|standins)/|node_modules", dependencyTypesNot: ["core"] },
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
