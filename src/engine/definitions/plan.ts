import type { Pool } from 'pg'
import type { Finding } from '@/core/review/review'
import { differences } from '@/core/words/diff'
import type { Surroundings } from '@/core/workflow/surroundings'
import { spanOfDays } from '../evidence'
import { rehearse } from '../rehearsal/rehearse'
import type { ReadFile } from './files'
import { asFile, isKept, type KeptWorkflow, KIND_NAMES, KINDS, type KindName } from './kinds'
import { examineWorkflow } from './sound'

/** Days over which it is told what a workflow would have done. */
const DAYS = 30

/** Most lines that are told of one definition. */
const MOST_LINES = 40

/** What becomes of one definition, and what is to be known about it. */
export interface Step {
  readonly kind: KindName
  readonly name: string
  readonly what: 'new' | 'changed' | 'only here'
  readonly lines: readonly string[]
  /** What keeps it from being taken over. */
  readonly problems: readonly string[]
}

/** Whatever two values of JSON have in them, however their members are ordered, is written the same. */
const settled = (value: unknown): string =>
  JSON.stringify(value, (_, v) =>
    v && typeof v === 'object' && !Array.isArray(v)
      ? Object.fromEntries(
          Object.entries(v)
            .filter(([, member]) => member !== undefined)
            .sort(([a], [b]) => (a < b ? -1 : 1)),
        )
      : v,
  )

/** What would change if the definitions of files were taken over: nothing is changed, and nothing that only the installation has is ever removed. */
export async function planDefinitions(pool: Pool, found: readonly ReadFile[], baseUrl: string): Promise<Step[]> {
  const steps: Step[] = []
  for (const kind of KIND_NAMES) {
    const here: ReadonlyMap<string, unknown> = await KINDS[kind].list(pool)
    const wanted = found.filter((f) => f.kind === kind)
    for (const { name, value } of wanted) {
      const old = here.get(name)
      if (old !== undefined && settled(asFile(kind, name, old)) === settled(asFile(kind, name, value))) continue
      steps.push({ kind, name, what: old === undefined ? 'new' : 'changed', ...(await told(pool, kind, old, value, baseUrl)) })
    }
    for (const name of here.keys()) if (wanted.length && !wanted.some((f) => f.name === name)) steps.push({ kind, name, what: 'only here', lines: [], problems: [] })
  }
  return steps
}

async function told(pool: Pool, kind: KindName, old: unknown, value: unknown, baseUrl: string): Promise<Pick<Step, 'lines' | 'problems'>> {
  if (isKept(value)) return toldWorkflow(pool, isKept(old) ? old : undefined, value, baseUrl)
  return { lines: old === undefined ? [] : memberLines(asFile(kind, '', old), asFile(kind, '', value)), problems: [] }
}

/** The members in which two definitions differ. */
function memberLines(old: Readonly<Record<string, unknown>>, value: Readonly<Record<string, unknown>>): string[] {
  const names = [...new Set([...Object.keys(old), ...Object.keys(value)])].filter((name) => settled(old[name]) !== settled(value[name]))
  const short = (v: unknown) => (v === undefined ? 'nothing' : settled(v).slice(0, 200))
  return names.slice(0, MOST_LINES).map((name) => `${name}: ${short(old[name])} → ${short(value[name])}`)
}

async function toldWorkflow(pool: Pool, old: KeptWorkflow | undefined, { state, workflow }: KeptWorkflow, baseUrl: string): Promise<Pick<Step, 'lines' | 'problems'>> {
  const { setting, surroundings, findings, errors, problems } = await examineWorkflow(pool, workflow, baseUrl)
  const changed = old ? differences(old.workflow, workflow, setting) : []
  const lines = [
    ...(old && old.state !== state ? [`${old.state} → ${state}`] : !old ? [state] : []),
    ...changed
      .slice(0, MOST_LINES)
      .map(({ what, words, parts }) => `${what === 'added' ? '+' : what === 'removed' ? '−' : '~'} ${words}${parts.length ? ` (${parts.join(', ')})` : ''}`),
  ]
  if (errors.length) return { lines, problems }
  return { lines: [...lines, await wouldHave(pool, old, workflow, findings, surroundings)], problems }
}

/** What a workflow would have done over the last days, beside what it does as it is. */
async function wouldHave(pool: Pool, old: KeptWorkflow | undefined, workflow: KeptWorkflow['workflow'], findings: readonly Finding[], surroundings: Surroundings): Promise<string> {
  const live = old && old.state !== 'draft' ? old.workflow : null
  const options = { span: await spanOfDays(pool, DAYS), samples: 0, live: null }
  const counted = async (of: KeptWorkflow['workflow'], known: readonly Finding[]) => {
    const { firings, messages } = await rehearse(pool, of, known, surroundings, options)
    return `${firings} ${firings === 1 ? 'time' : 'times'}, ${messages} ${messages === 1 ? 'message' : 'messages'}`
  }
  try {
    const now = await counted(workflow, findings)
    return `over the last ${DAYS} days it would have fired ${now}${live ? `; as it is live: ${await counted(live, [])}` : ''}`
  } catch {
    return `what it would have done over the last ${DAYS} days cannot be told`
  }
}
