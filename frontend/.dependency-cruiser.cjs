// The rooms of the interface, from top to bottom; what docs/architecture.md does not show is forbidden.
const VIEWS = "order|strip|lenses|wall|cards|walk|transport|clips";

/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    { name: "no-cycles", severity: "error", from: {}, to: { circular: true } },
    { name: "pages-apart", severity: "error", from: { path: "^src/(start|desk|show)/" }, to: { path: "^src/(start|desk|show)/", pathNot: "^src/$1/" } },
    { name: "shared-below-pages", severity: "error", from: { path: "^src/(ui|api|wave|time|play|imports)/" }, to: { path: "^src/(start|desk|show)/" } },
    { name: "ui-knows-no-import-list", severity: "error", from: { path: "^src/(ui|api|wave|time|play)/" }, to: { path: "^src/imports/" } },
    { name: "views-apart", comment: "one view of the desk imports no other", severity: "error", from: { path: `^src/desk/(${VIEWS})/` }, to: { path: `^src/desk/(${VIEWS})/`, pathNot: "^src/desk/$1/" } },
    { name: "views-below-frame", severity: "error", from: { path: `^src/desk/(${VIEWS}|commands|state|model)/` }, to: { path: "^src/desk/(frame/|briefs)" } },
    { name: "commands-below-views", severity: "error", from: { path: "^src/desk/(commands|state|model)/" }, to: { path: `^src/desk/(${VIEWS})/` } },
    { name: "state-below-commands", severity: "error", from: { path: "^src/desk/(state|model)/" }, to: { path: "^src/desk/commands/" } },
    { name: "model-is-pure", comment: "functions on a job: no state, no React, no server", severity: "error", from: { path: "^src/desk/model/" }, to: { path: "^src/desk/(?!model/)|react|zustand|^src/api/(?!types)" } },
    {
      name: "geometry-is-pure",
      severity: "error",
      from: { path: "(geometry|Geometry|gesture|Gesture|draw|Draw|format|snap|autoLevel|jobOrder|figures|order)[.]ts$" },
      to: { path: "react|zustand|^src/api/(?!types)|^src/desk/state/" },
    },
  ],
  options: { tsPreCompilationDeps: false, tsConfig: { fileName: "tsconfig.json" }, doNotFollow: { path: "node_modules" } },
};
