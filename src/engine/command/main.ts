import { resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { faultOf, must } from '@/core/must'
import { createPool } from '@/store/database'
import { readNow } from '@/store/now'
import { wake } from '@/store/place'
import { readShards, SHARDS, setShards } from '@/store/shards'
import { endUnreachable } from '@/store/unreachable'
import { applyDefinitions } from '../definitions/apply'
import { exportDefinitions, readDefinitions } from '../definitions/files'
import { planDefinitions, type Step } from '../definitions/plan'
import { examine } from '../doctor'

/** What an administrator does from a shell: definitions as files, waking what was restored, and what is wrong. */

const USAGE = `rappel export <folder>    writes tables, groups, senders, figures, templates and workflows as files
rappel plan <folder>      says what taking the files over would change, and what their workflows would have done
rappel apply <folder>     takes them over; nothing that only the installation has is removed
rappel wake [--send]      lets an installation go on that waits, as one that was restored, and calls off what waited, or sends it
rappel shards [number]    says over how many shards changes are spread, or spreads them over another number while everything goes on
rappel doctor             says what is wrong, and what to do about it`

const { DATABASE_URL, RAPPEL_BASE_URL = 'http://127.0.0.1:4170' } = process.env
const say = (line: string) => process.stdout.write(`${line}\n`)
const { positionals, values } = readArguments()
const [command, folder] = positionals
const url = must(DATABASE_URL)
const pool = createPool(url, { max: 4, name: 'rappel command' })
try {
  process.exitCode = await run()
} catch (error) {
  if (!isOfFiles(error)) endUnreachable(error, url)
  say(`✗ ${error.message}`)
  process.exitCode = 1
} finally {
  await pool.end()
}

/** What it was called with; ends with how it is called, where it is called otherwise. */
function readArguments() {
  try {
    return parseArgs({ allowPositionals: true, args: process.argv.slice(2), options: { send: { type: 'boolean', default: false } } })
  } catch (error) {
    say(`${faultOf(error).split('. To specify')[0]}.\n\n${USAGE}`)
    process.exit(2)
  }
}

/** Whether an error is the system's about a file: one that may not be written, or a disk that is full. */
function isOfFiles(error: unknown): error is Error {
  return error instanceof Error && 'syscall' in error && 'path' in error && !('address' in error)
}

async function run(): Promise<number> {
  if (command === 'doctor') return tellFindings()
  if (command === 'wake') {
    const count = await wake(pool, values.send ? 'send' : 'call off', await readNow(pool))
    say(`It goes on. ${count} messages that waited are ${values.send ? 'sent' : 'called off'}.`)
    return 0
  }
  if (command === 'shards') return shards()
  if (!folder || !['export', 'plan', 'apply'].includes(command ?? '')) {
    say(USAGE)
    return 2
  }
  const at = resolve(folder)
  if (command === 'export') {
    say(`${await exportDefinitions(pool, at)} definitions are in ${at}`)
    return 0
  }
  const { found, problems } = await readDefinitions(at)
  for (const problem of problems) say(`✗ ${problem}`)
  if (problems.length) {
    say('Nothing was changed: mend these files first.')
    return 1
  }
  return command === 'plan' ? tellPlan(await planDefinitions(pool, found, RAPPEL_BASE_URL)) : tellApplied(await applyDefinitions(pool, found, RAPPEL_BASE_URL))
}

/** Says over how many shards changes are spread, or spreads them over another number. */
async function shards(): Promise<number> {
  const to = SHARDS.find((n) => String(n) === folder)
  if (folder && !to) {
    say(`There can be ${SHARDS.join(', ')} shards, not ${folder}.`)
    return 2
  }
  const what = to ? await setShards(pool, to) : 'same'
  say(
    what === 'not through'
      ? 'The number was changed just now, and what began before is not over. Try again in a moment; nothing was changed.'
      : `Changes are spread over ${await readShards(pool)} shards.`,
  )
  return what === 'not through' ? 1 : 0
}

const SIGNS = { new: '+', changed: '~', 'only here': ' ' } as const

function tellStep({ kind, name, what, lines }: Step): void {
  say(`${SIGNS[what]} ${kind.replace(/s$/, '')} ${name}${what === 'only here' ? ': only here; it stays' : ''}`)
  for (const line of lines) say(`    ${line}`)
}

function tellPlan(steps: readonly Step[]): number {
  for (const step of steps) {
    tellStep(step)
    for (const problem of step.problems) say(`    ✗ ${problem}`)
  }
  const count = steps.filter((s) => s.what !== 'only here').length
  say(count === 0 ? 'Nothing would change.' : `${count} would change.`)
  return steps.some((s) => s.problems.length) ? 1 : 0
}

function tellApplied(applied: Awaited<ReturnType<typeof applyDefinitions>>): number {
  for (const { step, problems } of applied) {
    tellStep(step)
    for (const problem of problems) say(`    ✗ ${problem}`)
  }
  const failed = applied.filter((a) => a.problems.length).length
  say(`${applied.length - failed} were taken over${failed ? `, ${failed} could not be` : ''}.`)
  return failed ? 1 : 0
}

async function tellFindings(): Promise<number> {
  const findings = await examine(pool, {
    home: process.env.RAPPEL_HOME ?? '.rappel',
    smtpUrl: process.env.RAPPEL_SMTP_URL ?? null,
    smtpPort: Number(process.env.RAPPEL_SMTP_PORT ?? 4172),
  })
  for (const { ok, what, todo } of findings) say(`${ok ? '✓' : '✗'} ${what}${ok || !todo ? '' : `\n    ${todo}`}`)
  return findings.every((f) => f.ok) ? 0 : 1
}
