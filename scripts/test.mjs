import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join, relative } from 'node:path'
import { ensureBuilt } from './lib/build.mjs'
import { startCluster } from './lib/cluster.mjs'
import { freePorts, ROOT, readEnvironment, say } from './lib/environment.mjs'
import { ensureDebian, ensureNode, ensurePackages, wishHeadlessChromium } from './lib/install.mjs'
import { folderInMemory } from './lib/memory.mjs'
import { ensurePrograms } from './lib/programs.mjs'

const RESULTS = join(ROOT, 'test-results')
const only = process.argv[2]
const more = process.argv.slice(3)

ensureNode()
ensurePackages()
wishHeadlessChromium()
ensureDebian(['postgresql', 'chromium'])

/** A whole run leaves nothing that the next one needs; a part of it may, such as the demo. */
const inMemory = only ? null : folderInMemory()
const testHome = inMemory ?? '.test-home'

/** Tests run beside whatever else runs here: a home of their own, and ports that are free now. */
const ports = (await freePorts(17)).map(String)
const [port, postRoomPort, smtpPort, pgPort] = ports
const [demoPgPort, ...spare] = ports.slice(4, 9)
const ofSecond = ports.slice(9)
const home = { RAPPEL_HOME: testHome, RAPPEL_PORT: port, RAPPEL_POST_ROOM_PORT: postRoomPort, RAPPEL_SMTP_PORT: smtpPort, RAPPEL_PG_PORT: pgPort }
const settings = readEnvironment({ ...process.env, ...home })
const cluster = await startCluster(settings, { durable: false })
const env = {
  ...process.env,
  RAPPEL_PROGRAMS: await ensurePrograms(),
  ...home,
  RAPPEL_TEST_ADMIN_URL: cluster.adminUrl,
  RAPPEL_TEST_URL: cluster.url,
  RAPPEL_TEST_DEMO_HOME: join(testHome, 'demo'),
  RAPPEL_TEST_DEMO_PG_PORT: demoPgPort,
  RAPPEL_TEST_SPARE_PORTS: spare.join(' '),
  NEXT_TELEMETRY_DISABLED: '1',
}
delete env.DATABASE_URL

const totals = { passed: 0, failed: 0 }
/** What failed, by name: said once more at the very end, for what printed it may be far above. */
const failures = []
const bin = (name) => join(ROOT, 'node_modules/.bin', name)

async function step(name, command, args, count, more = {}) {
  if (only && only !== name) return
  say(`\n— ${name}`)
  const [status] = await once(spawn(command, args, { cwd: ROOT, stdio: 'inherit', env: { ...env, ...more } }), 'exit')
  add(name, status, count)
}

/** Adds what a step came to; one that failed counts, whatever its results say. */
function add(name, status, count) {
  const { passed, failed } = count?.() ?? { passed: status === 0 ? 1 : 0, failed: [] }
  totals.passed += passed
  const all = status !== 0 && failed.length === 0 ? ['as a whole'] : failed
  totals.failed += all.length
  failures.push(...all.map((what) => `${name}: ${what}`))
}

/** Runs a program to its end; what it prints is kept until it is asked for. */
async function quietly(command, args, more = {}) {
  const child = spawn(command, args, { cwd: ROOT, env: { ...env, ...more } })
  let printed = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (part) => (printed += part))
  const [status] = await once(child, 'close')
  return { status, printed }
}

/** On a machine with more to do than it has cores for a connection may take long: that is no fault of what is tested. */
const PATIENT = { PGCONNECT_TIMEOUT: '60' }

/** What the database of a demo is called in both lanes of browser tests, since that of the second is a copy of the first's, and would wait until somebody says that it is to go on. */
const ONE_PLACE = { ...PATIENT, RAPPEL_PLACE: 'the browser tests' }

/** Where the second lane of browser tests has its demo: a copy of the first, made while other tests run. */
const SECOND_HOME = join(testHome, 'second')

/** The environment of the second lane of browser tests: a demo of its own, on ports of its own. */
function secondLane() {
  const [web, room, smtp, database, ...rest] = ofSecond
  return {
    ...ONE_PLACE,
    RAPPEL_TEST_LANE: '2',
    RAPPEL_TEST_DEMO_HOME: SECOND_HOME,
    RAPPEL_TEST_PREPARED: '1',
    RAPPEL_PORT: web,
    RAPPEL_POST_ROOM_PORT: room,
    RAPPEL_SMTP_PORT: smtp,
    RAPPEL_TEST_DEMO_PG_PORT: database,
    RAPPEL_TEST_SPARE_PORTS: rest.join(' '),
  }
}

/** The browser tests in two lanes at a time, for each waits half of its time; what the second printed comes after the first. */
async function browserLanes() {
  const second = quietly(bin('playwright'), ['test'], secondLane())
  await step('browser', bin('playwright'), ['test'], browserResults('1'), { ...ONE_PLACE, RAPPEL_TEST_LANE: '1' })
  const { status, printed } = await second
  say(`\n— browser, second lane\n${printed.trimEnd()}`)
  add('browser, second lane', status, browserResults('2'))
}

/** What the browser tests of a lane came to, or of all where there are no lanes. */
const browserResults = (lane) => readResults(`playwright${lane}.json`, (r) => ({ passed: r.stats.expected + r.stats.flaky, failed: r.suites.flatMap(unexpected) }))
const unexpected = ({ specs = [], suites = [] }) => [...specs.filter((spec) => !spec.ok).map((spec) => `${spec.file}: ${spec.title}`), ...suites.flatMap(unexpected)]

/** What the unit tests came to; a file that could not be run counts as one. */
const jestResults = readResults('jest.json', (r) => ({
  passed: r.numPassedTests,
  failed: r.testResults.flatMap(({ name, status, assertionResults }) => {
    const failed = assertionResults.filter((test) => test.status === 'failed').map((test) => test.fullName)
    return (failed.length === 0 && status === 'failed' ? ['could not be run'] : failed).map((what) => `${relative(ROOT, name)}: ${what}`)
  }),
}))

/** Steps one after the other beside others that mostly wait; what each printed comes in one piece, when what is answered is called. */
async function stepsMeanwhile(steps) {
  const ends = []
  for (const [name, command, ...args] of steps) {
    if (only && only !== name) continue
    const { status, printed } = await quietly(bin(command), args)
    ends.push(() => {
      say(`\n— ${name}\n${printed.trimEnd()}`)
      add(name, status)
    })
  }
  return () => ends.forEach((end) => end())
}

function readResults(file, read) {
  return () => {
    const path = join(RESULTS, file)
    if (!existsSync(path)) return { passed: 0, failed: ['left no results'] }
    return read(JSON.parse(readFileSync(path, 'utf8')))
  }
}

/** Builds the web application and loads the demo, which the browser tests want, while other tests wait for this and that. */
function prepareMeanwhile() {
  const child = spawn(process.execPath, ['--import', 'tsx', 'tests/browser/prepare.ts', SECOND_HOME], { cwd: ROOT, stdio: 'ignore', env: { ...env, ...ONE_PLACE } })
  return once(child, 'exit')
}

rmSync(RESULTS, { recursive: true, force: true })
mkdirSync(RESULTS)
try {
  const made = spawnSync(process.execPath, ['--import', 'tsx', 'tests/support/make-template.ts'], { cwd: ROOT, stdio: 'inherit', env })
  if (made.status !== 0) throw new Error('The template of the test databases could not be made.')
  const looking = stepsMeanwhile([
    ['format', 'biome', 'ci', '--error-on-warnings', '--colors=off', '.'],
    ['types', '../typescript-native/bin/tsc', '--noEmit', '-p', '.'],
    ['architecture', 'depcruise', 'src', '--config', '.dependency-cruiser.cjs'],
  ])
  const preparing = only ? null : prepareMeanwhile()
  await step('jest', bin('jest'), ['--json', `--outputFile=${join(RESULTS, 'jest.json')}`, ...more], jestResults, PATIENT)
  const tellLooked = await looking
  tellLooked()
  await preparing
  if (!only || only === 'browser') ensureBuilt() // says what is wrong where it could not be built
  if (only === 'browser') await step('browser', bin('playwright'), ['test', ...more], browserResults(''))
  else if (!only) await browserLanes()
  await step('soak', process.execPath, ['scripts/soak.mjs', '--minutes', '0.5', '--kills', '12', '--rate', '80', ...(only === 'soak' ? more : [])])
} finally {
  cluster.stop()
  if (inMemory) rmSync(inMemory, { recursive: true, force: true })
}
for (const what of failures) say(`failed: ${what}`)
say(`\n${totals.passed} passed, ${totals.failed} failed`)
if (totals.failed > 0 || totals.passed === 0) process.exit(1)
