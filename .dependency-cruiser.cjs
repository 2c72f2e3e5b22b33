// Imports run downward only, also between packages, in .vue files and where only types are taken; no file of a room is
// in a ring, and a room is entered by its index alone. `scripts/test/rooms.test.ts` plants each violation and sees it
// caught.

/** Each room, and the rooms that it may import. */
const rooms = {
  core: [],
  engine: ['core'],
  cli: ['engine', 'core'],
  server: ['engine', 'core'],
  web: ['core'],
  'stand-ins/ferries': [],
  'stand-ins/pipeline': [],
  scripts: [],
}
/** The rooms inside a room, in order: each may import those before it, and never those after. */
const order = {
  core: [
    'numbers',
    'language',
    'plan',
    'write',
    'import',
    'values',
    'load',
    'measure',
    'assess',
    'judge',
    'view',
    'compare',
    'capacity',
    'trend',
    'explain',
    'pipeline',
    'report',
    'api',
  ],
  engine: [
    'threads',
    'clock',
    'secrets',
    'network',
    'permit',
    'telemetry',
    'compile',
    'http',
    'metrics',
    'walk',
    'rehearse',
    'generate',
    'coordinate',
    'calibrate',
    'capacity',
    'fleet',
    'generator-process',
  ],
  server: [
    'observability',
    'events',
    'database',
    'http',
    'people',
    'live',
    'projects',
    'targets',
    'merges',
    'git',
    'rehearsals',
    'runs',
    'capacity',
    'trends',
    'reported-runs',
    'pushes',
    'pipelines',
    'webhooks',
    'badges',
    'generators',
    'health',
  ],
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
      to: {
        path: `^${room}/src/`,
        pathNot: `^${room}/src/(index|identity|language/labels|values/random|api/index)\\.ts$`,
      },
    })),
    ...all.map((room) => ({
      name: `${room} is read from its sources`,
      severity: 'error',
      from: {},
      to: { path: `^${room}/dist/` },
    })),
    ...Object.entries(order).flatMap(([room, inner]) =>
      inner.slice(0, -1).map((name, index) => ({
        name: `inside ${room}, ${name} imports downward`,
        severity: 'error',
        from: { path: `^${room}/src/${name}/` },
        to: { path: `^${room}/src/(${inner.slice(index + 1).join('|')})/` },
      })),
    ),
    {
      name: 'core knows no Node module',
      severity: 'error',
      from: { path: '^core/src' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'no rings',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
    {
      name: 'what is imported is there',
      severity: 'error',
      from: {},
      to: { couldNotResolve: true, pathNot: '\\?worker$' },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)node_modules/(?!@jolt-gate)' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['jolt-gate-source', 'import', 'types', 'node', 'default'],
      extensions: ['.ts', '.d.ts', '.js', '.mjs', '.vue'],
    },
  },
}
