import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { ROOT } from './environment.mjs'

/** Takes all sources under a path of the project into a hash, tests left out. */
export function digest(path, hash) {
  const full = join(ROOT, path)
  if (!existsSync(full)) return
  if (statSync(full).isDirectory()) for (const name of readdirSync(full).sort()) digest(`${path}/${name}`, hash)
  else if (!/\.test\.tsx?$/.test(path)) hash.update(path).update(readFileSync(full))
}
