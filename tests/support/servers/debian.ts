import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync } from 'node:fs'
import { join } from 'node:path'

const QUIET = { encoding: 'utf8', timeout: 240_000, env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } } as const

/** Why programs of Debian's packages cannot be used here, in a sentence; null where they can, installed where they were missing. */
export function missingFromDebian(programs: Readonly<Record<string, string>>): string | null {
  const missing = Object.entries(programs).filter(([, path]) => !existsSync(path))
  if (missing.length === 0) return null
  const names = missing.map(([name]) => name)
  if (process.getuid?.() !== 0) return `needs Debian's ${names.join(' and ')}, which only root can install`
  spawnSync('apt-get', ['update', '-qq'], QUIET)
  const { status } = spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...names], QUIET)
  return status === 0 && missing.every(([, path]) => existsSync(path)) ? null : `needs Debian's ${names.join(' and ')}, which could not be installed here`
}

/** Takes packages apart into a folder, for programs that cannot be installed beside others; why not, in a sentence, or null. */
export function unpackFromDebian(folder: string, packages: readonly string[], libraries: readonly string[]): string | null {
  if (process.getuid?.() !== 0) return `needs Debian's ${packages.join(' and ')}, which are tried as root alone`
  mkdirSync(folder, { recursive: true })
  const isThere = () => readdirSync(folder).filter((f) => f.endsWith('.deb')).length >= packages.length
  if (!isThere()) spawnSync('apt-get', ['download', ...packages], { ...QUIET, cwd: folder })
  if (!isThere()) return `needs Debian's ${packages.join(' and ')}, which could not be had here`
  for (const deb of readdirSync(folder).filter((f) => f.endsWith('.deb'))) spawnSync('dpkg', ['-x', join(folder, deb), folder], QUIET)
  if (libraries.length) spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...libraries], QUIET)
  return null
}
