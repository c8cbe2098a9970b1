import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { ROOT } from './lib/environment.mjs'
import { ensurePackages } from './lib/install.mjs'

/** Writes the calls of the TypeScript client from the API's description, as they are checked. */
ensurePackages()
const program = `
import { writeFileSync } from 'node:fs'
import { openApi } from './src/app/_server/openapi'
import { clientTypes } from './src/app/_server/client-types'
writeFileSync('src/client/calls.ts', clientTypes(openApi('')))
`
const made = spawnSync(process.execPath, ['--import', 'tsx', '--input-type=module', '-e', program], { cwd: ROOT, stdio: 'inherit' })
if (made.status === 0) spawnSync(join(ROOT, 'node_modules/.bin/biome'), ['format', '--write', 'src/client/calls.ts'], { cwd: ROOT, stdio: 'inherit' })
process.exit(made.status ?? 1)
