import { composeDigest } from '@/core/limits/digest-mail'
import { DIGEST_WORDS } from '@/core/limits/digest-words'
import type { RenderedMessage } from '@/core/message/render'
import { must } from '@/core/must'
import type { PastDigest } from '@/core/rehearsal/tally'
import { recordPath } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import type { Queryable } from '@/store/database'
import { personByEmail } from '@/store/people'
import { readSettings } from '@/store/settings'
import { FIGURE_NOUN, nounOf } from '../limits/row'

/** A digest of the past as it would have arrived. */
export interface DigestSample {
  readonly address: string
  readonly until: Date
  readonly count: number
  readonly mail: RenderedMessage
}

/** Composes a digest that a rehearsal came upon, of this workflow's entries alone, in the words of Settings. @throws Error where these do not go */
export async function digestSample(db: Queryable, { workflow, table, surroundings }: CompiledWorkflow, { address, until, count, entries }: PastDigest): Promise<DigestSample> {
  const { name, digestWords } = await readSettings(db)
  const { cue } = workflow
  const isOfFigure = cue.kind === 'figure' || (cue.kind === 'timetable' && cue.per === 'group')
  const isOfRecord = cue.kind === 'record' || (cue.kind === 'timetable' && cue.per === 'record')
  const { baseUrl, engines } = surroundings
  const rows = entries.map(({ change, columns }) => ({
    title: change.title || workflow.name,
    link: isOfRecord ? `${baseUrl}${recordPath(workflow.table, change.record)}` : null,
    why: cue.kind === 'record' ? `${baseUrl}/changes/${change.id}` : `${baseUrl}/workflows/${encodeURIComponent(workflow.name)}`,
    noun: isOfFigure ? FIGURE_NOUN : nounOf(table),
    columns,
    at: change.at.toISOString(),
    workflow: workflow.name,
  }))
  const all = [...rows, ...Array.from({ length: count - rows.length }, () => must(rows.at(-1)))] // those past the rows that are shown are counted alone
  const person = await personByEmail(db, address)
  const about = { recipient: person?.name ?? address, organisation: name, until, baseUrl }
  return { address, until, count, mail: composeDigest(all, about, digestWords ?? DIGEST_WORDS, engines) }
}
