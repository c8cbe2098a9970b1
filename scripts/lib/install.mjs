import { spawnSync } from 'node:child_process'
import { existsSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { fail, ROOT, say } from './environment.mjs'

const run = (command, args, options = {}) => spawnSync(command, args, { cwd: ROOT, stdio: 'inherit', ...options })

/** Installs the npm packages where they are missing or older than the lock file. */
export function ensurePackages() {
  const installed = join(ROOT, 'node_modules/.package-lock.json')
  if (existsSync(installed) && statSync(installed).mtimeMs >= statSync(join(ROOT, 'package-lock.json')).mtimeMs) return
  say('Installing npm packages …')
  const { status } = run('npm', ['ci', '--no-audit', '--no-fund'], { env: { ...process.env, NODE_ENV: '' } })
  if (status !== 0) fail('npm could not install the packages. Its message stands above.')
}

const HEADLESS = '/usr/bin/chromium-headless-shell'

const isThere = {
  postgresql: () => findPostgres() !== null,
  chromium: () => existsSync('/usr/bin/chromium') || existsSync(HEADLESS),
}

/** Installs Debian packages that are missing; says the command where that needs another user. */
export function ensureDebian(names) {
  const missing = names.filter((name) => !isThere[name]())
  if (missing.length === 0) return
  const command = `apt-get install -y --no-install-recommends ${missing.join(' ')}`
  if (process.getuid?.() !== 0) fail(`Debian's ${missing.join(' and ')} is missing. Install it with:\n\n  sudo ${command}\n\nand start again.`)
  say(`Installing Debian's ${missing.join(' and ')} …`)
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  run('apt-get', ['update', '-qq'], { env })
  const { status } = run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], { env })
  if (status !== 0 || missing.some((name) => !isThere[name]())) fail(`“${command}” did not work. Its message stands above.`)
}

/** Chromium without a screen, which takes a fifth less time than the one with one: installed where it is missing and can be, else passed over. */
export function wishHeadlessChromium() {
  if (existsSync(HEADLESS) || process.getuid?.() !== 0) return
  say('Installing Debian’s chromium-headless-shell …')
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  const options = { env, stdio: 'ignore', timeout: 90_000 }
  spawnSync('apt-get', ['update', '-qq'], options)
  spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', 'chromium-headless-shell'], options)
}

/** The folder of PostgreSQL's programs, the newest version's; null where there is none. */
export function findPostgres() {
  const versions = [18, 17, 16, 15]
  return versions.map((v) => `/usr/lib/postgresql/${v}/bin`).find((folder) => existsSync(join(folder, 'initdb'))) ?? null
}

/** Refuses a Node.js that is too old. */
export function ensureNode() {
  const major = Number(process.versions.node.split('.')[0])
  if (major < 20) fail(`Rappel needs Node.js 20 or newer; this is ${process.versions.node}.`)
}
