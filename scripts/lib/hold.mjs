import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fail } from './environment.mjs'

/** When a process began, by the kernel's clock, which no other process of its number has; null where it is over (proc(5), fields 3 and 22 of stat). */
function beginOf(pid) {
  try {
    const [state, ...fields] = readFileSync(`/proc/${pid}/stat`, 'utf8')
      .replace(/^.*\) /s, '')
      .split(' ')
    return state === 'Z' ? null : fields[18]
  } catch {
    return null
  }
}

function holder(path) {
  try {
    return JSON.parse(readFileSync(path, 'utf8'))
  } catch {
    return null // there is none, or its machine went down while it was written
  }
}

/** Takes a home for this process as long as it lives: no other stops its database meanwhile. Ends the process where another has it. */
export function holdHome(home) {
  mkdirSync(home, { recursive: true })
  const path = join(home, 'held.json')
  const by = holder(path)
  if (by?.begin && by.pid !== process.pid && beginOf(by.pid) === by.begin)
    fail(`Rappel is at work from ${home} already (process ${by.pid}). Stop that first, or say which other home is meant: RAPPEL_HOME.`)
  writeFileSync(path, JSON.stringify({ pid: process.pid, begin: beginOf(process.pid) }), { mode: 0o600 })
}
