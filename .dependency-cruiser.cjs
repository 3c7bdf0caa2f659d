// Arrows run one way: web → player → core ← server; demo, bench and e2e may use all; nothing uses them.
const rooms = ['core', 'player', 'server', 'web', 'demo', 'bench', 'e2e'];
const allowed = {
  core: ['core'],
  player: ['core', 'player'],
  server: ['core', 'server'],
  web: ['core', 'player', 'web'],
  demo: rooms,
  bench: rooms,
  e2e: rooms,
};

module.exports = {
  forbidden: [
    ...Object.entries(allowed).map(([room, others]) => ({
      name: `${room}-uses-only-${others.join('-')}`,
      severity: 'error',
      from: { path: `^${room}/` },
      to: { path: `^(${rooms.filter((each) => !others.includes(each)).join('|') || 'nothing-at-all'})/` },
    })),
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true, dependencyTypesNot: ['type-only'] },
    },
    {
      name: 'core-is-pure',
      severity: 'error',
      from: { path: '^core/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'an-export-cannot-see-a-lever',
      comment: 'The files that make an export graph must not reach a lever, a tuning or the preview.',
      severity: 'error',
      from: { path: '^core/render/(export-graph|delivery|graph|proof-frames)\\.ts$' },
      to: { path: '^core/levers/', reachable: true },
    },
  ],
  options: {
    doNotFollow: { path: ['node_modules', '/dist/'] },
    exclude: { path: ['/dist/', '\\.mjs$'] },
    tsConfig: { fileName: 'tsconfig.tests.json' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { conditionNames: ['source', 'import', 'default'], extensions: ['.ts', '.js'] },
  },
};
