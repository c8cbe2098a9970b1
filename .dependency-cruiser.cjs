/** The arrows go one way: app to ui to core; app and engine to store to core; core only to pure libraries. */
const PURE = [
  'decimal\\.js',
  'date-fns',
  '@date-fns/tz',
  'yup',
  'liquidjs',
  'html-to-text',
  'email-addresses',
  'nodemailer/dist/[a-z]+/addressparser',
  'feelin',
  're2js',
  '@zxcvbn-ts',
  'd3',
  'pluralize',
  'yaml',
]

/** The folders of core, each of which may use those before it and none after. */
const CORE = [
  'values',
  'changes',
  'document',
  'paths',
  'formula',
  'conditions',
  'figures',
  'recipients',
  'message',
  'cues',
  'workflow',
  'words',
  'review',
  'rehearsal',
  'examples',
  'bulk',
  'attach',
]

const inOrder = CORE.slice(0, -1).map((folder, i) => ({
  name: `core-in-order-${folder}`,
  severity: 'error',
  from: { path: `^src/core/${folder}/`, pathNot: '\\.test\\.ts$' },
  to: { path: `^src/core/(${CORE.slice(i + 1).join('|')})/` },
}))

/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    { name: 'no-rings', severity: 'error', from: {}, to: { circular: true } },
    ...inOrder,
    { name: 'core-alone', severity: 'error', from: { path: '^src/core', pathNot: '\\.test\\.ts$' }, to: { path: '^(src|tests)', pathNot: '^src/core' } },
    {
      name: 'core-pure-libraries',
      severity: 'error',
      from: { path: '^src/core', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['npm', 'npm-dev', 'core'], pathNot: `node_modules/(${PURE.join('|')})/` },
    },
    { name: 'store-on-core', severity: 'error', from: { path: '^src/store' }, to: { path: '^src', pathNot: '^src/(store|core)' } },
    {
      name: 'engine-on-store-and-core',
      severity: 'error',
      from: { path: '^src/engine', pathNot: '\\.test\\.ts$' },
      to: { path: '^src', pathNot: '^src/(engine|store|core|process\\.ts)' },
    },
    { name: 'outside-on-nothing', severity: 'error', from: { path: '^src/outside' }, to: { path: '^src', pathNot: '^src/(outside|process\\.ts)' } },
    {
      name: 'ui-on-core',
      severity: 'error',
      from: { path: '^src/ui', pathNot: '\\.test\\.tsx?$' },
      to: { path: '^src', pathNot: '^src/(ui|core)', dependencyTypesNot: ['type-only'] },
    },
    { name: 'nothing-on-app', severity: 'error', from: { path: '^src', pathNot: '^src/(app|proxy\\.ts|instrumentation\\.ts)' }, to: { path: '^src/app' } },
    { name: 'database-driver-in-store', severity: 'error', from: { path: '^src', pathNot: '^src/store' }, to: { path: 'node_modules/pg/', dependencyTypesNot: ['type-only'] } },
    { name: 'nothing-unresolved', severity: 'error', from: {}, to: { couldNotResolve: true, pathNot: '\\.css$|@fontsource' } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'require', 'node', 'default', 'types'] },
  },
}
