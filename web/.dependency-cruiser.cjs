// Which folder of the interface may know which: downwards only, and no file in a circle.
const floors = [
  ["app"],
  ["pages"],
  ["desks"],
  ["shell"],
  ["features"],
  ["gestures"],
  ["audio", "session", "collab", "account"],
  ["api", "ui", "offline"],
  ["domain"],
  ["words"],
];
const inside = (names) => `^src/(${names.join("|")})/`;

module.exports = {
  forbidden: [
    ...floors.slice(1).map((floor, below) => ({
      name: `${floor.join(", ")}: only what lies below`,
      severity: "error",
      from: { path: inside(floor) },
      // What the server's types say of the document is the domain's model.
      to: {
        path: inside(floors.slice(0, below + 1).flat()),
        pathNot: floor[0] === "domain" ? "^src/api/schema" : undefined,
      },
    })),
    {
      name: "api knows no component, a component asks nothing by itself",
      severity: "error",
      from: { path: inside(["api"]) },
      to: { path: inside(["ui"]) },
    },
    {
      name: "a component of ui asks nothing of the server",
      severity: "error",
      from: { path: inside(["ui"]) },
      to: { path: inside(["api"]) },
    },
    {
      name: "a desk keeps to itself",
      severity: "error",
      from: { path: "^src/desks/([^/]+)/" },
      to: { path: "^src/desks/", pathNot: "^src/desks/$1/" },
    },
    { name: "no circles", severity: "error", from: {}, to: { circular: true } },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.json" },
    enhancedResolveOptions: { extensions: [".ts", ".vue", ".d.ts", ".json"] },
  },
};
