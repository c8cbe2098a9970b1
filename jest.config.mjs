/** What JavaScript itself gives: found by name in the context that tests run in, each use takes long, so that modules are handed it instead; not `Map`, which is an icon of lucide too. */
const GIVEN = [
  'Array',
  'BigInt',
  'Boolean',
  'Date',
  'Error',
  'Float64Array',
  'Int32Array',
  'Intl',
  'JSON',
  'Math',
  'Number',
  'Object',
  'Promise',
  'Proxy',
  'RangeError',
  'Reflect',
  'RegExp',
].concat(['Set', 'String', 'Symbol', 'TypeError', 'Uint32Array', 'Uint8Array', 'WeakMap', 'WeakSet', 'isNaN', 'parseFloat', 'parseInt'])

/** @type {import('jest').Config} */
export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/src', '<rootDir>/tests'],
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  moduleNameMapper: { '^@/(.*)$': '<rootDir>/src/$1' },
  transform: {
    '^.+\\.(t|j|mj)sx?$': [
      '@swc/jest',
      { jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022', transform: { react: { runtime: 'automatic' } } }, module: { type: 'commonjs' } },
    ],
  },
  transformIgnorePatterns: [
    '/node_modules/(?!(html-to-text|feelin|lezer-feel|@lezer|@bpmn-io|temporal-polyfill|temporal-utils|temporal-spec|min-dash|@selderee|lossless-json|postal-mime|graphile-worker|deepmerge-ts|d3|d3-[a-z-]+|internmap|delaunator|robust-predicates|@seriousme)/)',
  ],
  sandboxInjectedGlobals: GIVEN,
  testTimeout: 180_000,
  maxWorkers: 3,
  testSequencer: '<rootDir>/tests/support/sequencer.cjs',
}
