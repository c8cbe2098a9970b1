import { spawnSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { isBuilt, MARK } from './build.mjs'
import { ROOT } from './environment.mjs'

/** Builds the web application, by whoever has the lock, unless somebody else just did: `build-alone.mjs <digest of its sources>`. */
const [, , sources = ''] = process.argv
if (!isBuilt(sources)) {
  const { status } = spawnSync(process.execPath, ['node_modules/next/dist/bin/next', 'build'], {
    cwd: ROOT,
    stdio: 'inherit',
    env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' },
  })
  if (status !== 0) process.exit(1)
  writeFileSync(MARK, sources)
}
