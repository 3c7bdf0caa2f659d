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

// Layers of the domain, lowest first: a folder uses its own and those before it. Tests and the tests' own helpers may use all.
const layers = [
  ['time'],
  ['timeline', 'media'],
  ['levers'],
  ['render', 'interchange', 'playback', 'pacing'],
  ['cache'],
  ['machine'],
  ['cost-model'],
  ['simulation'],
  ['findings'],
  ['api'],
];
const layerRules = layers.flatMap((folders, at) =>
  folders.map((folder) => ({
    name: `core-${folder}-uses-only-lower-layers`,
    severity: 'error',
    from: { path: `^core/${folder}/`, pathNot: '(\\.test\\.ts|testing-media\\.ts)$' },
    to: { path: `^core/(${[...layers.slice(at + 1).flat(), 'testing'].join('|')})/` },
  })),
);

module.exports = {
  forbidden: [
    ...layerRules,
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
      from: { path: '^core/render/(export|graph|effects)/' },
      to: { path: '^core/(levers|render/preview)/', reachable: true },
    },
    {
      name: 'the-export-handler-cannot-see-a-lever',
      comment:
        'What runs an export is handed timeline and delivery, and reaches neither levers nor the preview.',
      severity: 'error',
      from: { path: '^server/exports/', pathNot: '\\.test\\.ts$' },
      to: { path: '^core/(levers|render/preview)/' },
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
