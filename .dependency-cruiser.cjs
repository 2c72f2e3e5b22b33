// Imports run downward only, and a room is entered by its index alone.
const rooms = {
  core: [],
  engine: ['core'],
  cli: ['engine', 'core'],
  server: ['engine', 'core'],
  web: ['core'],
  'stand-ins/ferries': [],
  scripts: [],
}
const all = Object.keys(rooms)

module.exports = {
  forbidden: [
    ...all.map((room) => ({
      name: `${room} imports downward`,
      severity: 'error',
      from: { path: `^${room}/src` },
      to: { path: `^(${all.filter((other) => other !== room && !rooms[room].includes(other)).join('|')})/` },
    })),
    ...all.map((room) => ({
      name: `${room} is entered by its index`,
      severity: 'error',
      from: { pathNot: `^${room}/` },
      to: { path: `^${room}/(src|dist)/`, pathNot: `^${room}/(src|dist)/index\\.` },
    })),
    {
      name: 'core knows no Node and no browser package',
      severity: 'error',
      from: { path: '^core/src' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'inside core, data passes one way',
      severity: 'error',
      from: { path: '^core/src/(language|values|load|measure)' },
      to: { path: '^core/src/(judge|report)' },
    },
    {
      name: 'inside core, the judge knows no report',
      severity: 'error',
      from: { path: '^core/src/judge' },
      to: { path: '^core/src/report' },
    },
    {
      name: 'no rings',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '\\.vue$|/dist/' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'types', 'default'],
      extensions: ['.ts', '.js', '.vue'],
    },
  },
}
