/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    { name: "no-cycles", severity: "error", from: {}, to: { circular: true } },
    { name: "features-apart", severity: "error", from: { path: "^src/(start|desk)/" }, to: { path: "^src/(start|desk)/", pathNot: "^src/$1/" } },
    { name: "ui-and-api-below", severity: "error", from: { path: "^src/(ui|api|wave|time|play)/" }, to: { path: "^src/(start|desk)/" } },
    {
      name: "geometry-is-pure",
      severity: "error",
      from: { path: "(geometry|gesture|draw|format)[.]ts$" },
      to: { path: "react|^src/api/(?!types)" },
    },
  ],
  options: { tsPreCompilationDeps: false, tsConfig: { fileName: "tsconfig.json" }, doNotFollow: { path: "node_modules" } },
};
