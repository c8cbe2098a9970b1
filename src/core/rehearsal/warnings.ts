import type { Workflow } from '../document/document'
import type { Finding } from '../review/review'
import { activeActions } from '../workflow/active'
import type { PastChange, RehearsalTally } from './tally'

/** What a rehearsal has to say for warnings to be drawn from it. */
export interface Rehearsed extends Pick<RehearsalTally, 'firings' | 'byRecipient' | 'nobody' | 'repeats' | 'failed'> {
  readonly cued: number
  readonly survivors: readonly { readonly path: string; readonly count: number }[]
  readonly blanks: readonly { readonly placeholder: string; readonly share: number }[]
  /** Where nobody was found to send to: how often, by the action's JSON Pointer. */
  readonly nobodyAt: Readonly<Record<string, number>>
  readonly overlaps: readonly Overlap[]
  /** The moments of a timetable, newest first. */
  readonly ticks?: { readonly told: readonly { readonly messages: number; readonly fit: number }[] }
}

/** Another workflow that is live and writes to the same person on the same changes. */
export interface Overlap {
  readonly workflow: string
  readonly address: string
  /** Of the firings that were looked at, at how many. */
  readonly count: number
  readonly of: number
  readonly changes: readonly PastChange[]
}

const OFTEN_BLANK = 0.05
const MANY_A_DAY = 10
const OFTEN_FOR_ONE = 3
const MANY_AT_ONCE = 50

/** Warnings that come from what a draft would have done, each at the line that it is about; none where there is no history to speak from. */
export function warningsOf(workflow: Workflow, rehearsed: Rehearsed): Finding[] {
  if (rehearsed.cued === 0) return []
  return [...aboutClauses(rehearsed), ...aboutFirings(workflow, rehearsed), ...aboutTicks(workflow, rehearsed), ...aboutMail(workflow, rehearsed)]
}

const warning = (code: string, path: string, message: string, changes: readonly PastChange[] = []): Finding => ({
  level: 'warning',
  code,
  path,
  message,
  ...(changes.length ? { changes: changes.map(({ id, title }) => ({ id, title })) } : {}),
})

/** Clauses that stopped every change that came to them, or none. Only clauses that stand one after the other tell; what stands within any is passed over. */
function aboutClauses({ cued, survivors }: Rehearsed): Finding[] {
  let before = cued
  const found: Finding[] = []
  for (const { path, count } of survivors) {
    if (path.includes('/any/') || path.includes('/none/')) continue
    if (count === 0 && before > 0)
      found.push(warning('never holds', path, `None of the ${before} past changes that came to this line met it. Check the value, or whether it is meant.`))
    else if (count === before && before > 0) found.push(warning('always holds', path, `All ${before} past changes that came to this line met it: it holds nothing back.`))
    before = count
  }
  return found
}

/** Whether coming again for the same group is what the workflow is for. */
const comesAgain = ({ cue, firing }: Workflow) => cue.kind === 'timetable' && cue.per === 'group' && firing === 'every'

function aboutFirings(workflow: Workflow, { firings, repeats, failed }: Rehearsed): Finding[] {
  const found: Finding[] = failed.map((f) => warning('would have failed', '/actions', `${f.count} past firings would have failed: ${f.message}`, [f.example]))
  const often = repeats.filter((r) => r.firings >= OFTEN_FOR_ONE)
  const first = often[0]
  if (first && firings > 0 && !comesAgain(workflow))
    found.push(
      warning(
        'fires repeatedly',
        workflow.conditions ? '/conditions' : '/cue',
        `It would have fired several times for the same record: ${first.firings} times for ${first.title}${often.length > 1 ? `, and 3 times or more for ${often.length - 1} others` : ''}.${
          workflow.firing === 'every' ? ' It fires every time the conditions are true; “as it becomes true” fires once.' : ''
        }`,
        first.changes,
      ),
    )
  return found
}

/** Timetables that would send much at once: at one of their past times, or at the first where all that fits now is run. */
function aboutTicks({ cue, firing }: Workflow, { ticks, survivors, cued }: Rehearsed): Finding[] {
  if (!ticks || cue.kind !== 'timetable') return []
  const most = Math.max(0, ...ticks.told.map((t) => t.messages))
  const fits = survivors.filter((s) => s.path.startsWith('/conditions')).at(-1)?.count ?? cued
  const found: Finding[] = []
  if (most > MANY_AT_ONCE)
    found.push(warning('many mails at once', '/cue', `At one of its past times ${most} mails would have gone at once. Narrow the conditions, or send one list per owner.`))
  if (cue.per === 'record' && firing !== 'every' && fits > MANY_AT_ONCE)
    found.push(warning('many mails at once', '/cue', `${fits} records fit now. At the first time all of them would get mail if they are counted when it goes live; it asks.`))
  return found
}

function aboutMail(workflow: Workflow, { firings, byRecipient, blanks, nobody, nobodyAt, overlaps }: Rehearsed): Finding[] {
  const found: Finding[] = Object.entries(nobodyAt).map(([path, count]) =>
    warning('nobody to send to', path, `In ${count} of ${firings} past firings this line found nobody to send to. Add a fallback, or mend the addresses.`, nobody.examples),
  )
  const flooded = byRecipient.filter((r) => r.mostADay > MANY_A_DAY).sort((a, b) => b.mostADay - a.mostADay)
  if (flooded[0])
    found.push(
      warning(
        'many mails a day',
        '/actions',
        `${flooded[0].address} would have got ${flooded[0].mostADay} mails on one day${flooded.length > 1 ? `, and ${flooded.length === 2 ? 'one other' : `${flooded.length - 1} others`} more than ${MANY_A_DAY}` : ''}. Narrow the conditions, or write to a group that shares the work.`,
        flooded[0].changes,
      ),
    )
  for (const { workflow: other, address, count, of, changes } of overlaps)
    found.push(
      warning(
        'mailed twice',
        '/actions',
        `“${other}”, which is live, writes to ${address} on the same change too, at ${count} of the ${of === firings ? '' : 'newest '}${of} past firings. Take the address out of one of them, or narrow one.`,
        changes,
      ),
    )
  for (const { path, text } of textsOf(workflow))
    for (const { placeholder, share } of blanks)
      if (share > OFTEN_BLANK && names(text, placeholder))
        found.push(
          warning(
            'often blank',
            path,
            `${placeholder.replaceAll('.', ' › ').replaceAll('_', ' ')} was blank in ${Math.round(share * 100)} % of past firings. Say what to write then.`,
          ),
        )
  return found
}

/** Whether a text has a placeholder with a path and nothing to write where it is blank. */
function names(text: string, path: string): boolean {
  const escaped = path.replaceAll('.', '\\.')
  return new RegExp(`\\{\\{-?\\s*(?:\\w+\\.)?${escaped}\\s*-?\\}\\}`).test(text)
}

/** Subjects and bodies of the emails that are not muted, with the pointers of their actions. */
function textsOf(workflow: Workflow): { path: string; text: string }[] {
  return activeActions(workflow.actions).flatMap(({ action, path }) => (action.do === 'email' ? [{ path, text: `${action.subject ?? ''} ${action.body ?? ''}` }] : []))
}
