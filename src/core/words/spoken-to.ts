import type { Wording } from '../conditions/sentence'
import { isClause, jointOf } from '../document/condition'
import type { Condition, Recipient, Workflow } from '../document/document'
import { must, partsOf } from '../must'
import { checkPath } from '../paths/path'
import { capital, chained, nounOf, withArticle } from '../values/naming'
import type { TableDef } from '../values/tables'

/** What is known of the record that mail was about, as whoever got the mail may see it. */
export interface SpokenOf {
  readonly workflow: Workflow
  readonly table: TableDef
  readonly wording: Wording
  /** Its title; null where it is not shown. */
  readonly title: string | null
  /** The title of what a link of it points at; null where that is not known or not shown. */
  readonly linked: (field: string) => string | null
}

/** The record in words: "enquiry EN-0276", or "an enquiry" where its title is not shown. */
const recordWords = ({ table, title }: SpokenOf) => (title === null ? withArticle(nounOf(table)) : `${nounOf(table)} ${title}`)

/** Why an entry of an email means its reader, said to them: "You are a contact of Northhaven Rowing Club". */
export function youAre(entry: Recipient, of: SpokenOf): string {
  const { workflow, table, wording } = of
  if ('group' in entry) return `You are in the group ${entry.group}`
  if ('team' in entry) return `You are in the team ${entry.team}`
  if ('changedBy' in entry) return 'You made the change yourself'
  if ('address' in entry) return 'The workflow names your address'
  if ('text' in entry) return 'Your address was given with it'
  if ('managerOf' in entry) return `You are the manager of the ${holderWords(entry.managerOf, table, wording)} of ${recordWords(of)}`
  if (!('list' in entry)) {
    if (entry.field === 'owner.email' && workflow.cue.kind === 'timetable') return `You are the owner of ${table.label.toLowerCase()} that fit`
    return `You are the ${holderWords(entry.field, table, wording)} of ${recordWords(of)}`
  }
  const bring = workflow.bringIn?.find((b) => b.name === entry.list)
  const listed = wording.schema.get(must(partsOf(bring?.list ?? entry.list)[0]))
  const noun = listed ? nounOf(listed) : entry.list
  const whose = bring?.of ? (of.linked(bring.of) ?? `the ${bring.of.replaceAll('_', ' ')} of ${recordWords(of)}`) : recordWords(of)
  const steps = listed && partsOf(entry.field).length > 1 ? holderWords(entry.field, listed, wording) : null
  return steps ? `You are the ${steps} of ${withArticle(noun)} of ${whose}` : `You are ${withArticle(noun)} of ${whose}`
}

/** The person that a path to an address means: "passenger" for `passenger.email`, "owner’s manager" for a longer one. */
function holderWords(path: string, table: TableDef, wording: Wording): string {
  const names = path.split('.')
  const isBefore = names[0] === 'before'
  const own = ['record', 'before', table.singular].includes(names[0] ?? '') ? names.slice(1) : names
  const checked = checkPath(wording.schema, table, own.join('.'))
  if ('problem' in checked)
    return (
      own
        .filter((name) => name !== 'email')
        .join(' ')
        .replaceAll('_', ' ') || 'person named'
    )
  const labels = [...checked.links, ...(checked.field.type === 'email' && checked.links.length ? [] : [checked.field])].map((f) => f.label.toLowerCase())
  return `${isBefore ? 'previous ' : ''}${chained(labels)}`
}

/** What happened to the record, as the workflow looks at it: "enquiry EN-0276 became Won". */
export function whatHappened(of: SpokenOf, kind: 'created' | 'changed' | 'deleted' | null): string | null {
  const { workflow, table } = of
  if (kind === null) return null
  const noun = recordWords(of)
  if (kind === 'created') return `${noun} was added`
  if (kind === 'deleted') return `${noun} was removed`
  const became = workflow.conditions ? becomingOf(workflow.conditions, table) : null
  return became ? `${noun} ${became}` : `${noun} was changed`
}

/** The first clause that says what a record became: "became Won", "was paid". */
function becomingOf(condition: Condition, table: TableDef): string | null {
  if (!isClause(condition))
    return jointOf(condition)[0] === 'none'
      ? null
      : (jointOf(condition)[1]
          .map((child) => becomingOf(child, table))
          .find(Boolean) ?? null)
  const field = table.fields.find((f) => f.name === condition.field)
  if (!field || condition.muted || !['is', 'changed to'].includes(condition.op) || typeof condition.value !== 'string' || field.type !== 'choice') return null
  return `became ${condition.value}`
}

/** Why its reader got a mail, in a sentence said to them. */
export function whyYou(entries: readonly Recipient[], of: SpokenOf, kind: 'created' | 'changed' | 'deleted' | null): string {
  const reasons = [...new Set(entries.map((entry) => youAre(entry, of)))]
  const happened = whatHappened(of, kind)
  return `${capital(reasons.map((reason, i) => (i === 0 ? reason : reason.replace(/^You/, 'you'))).join(', or '))}${happened ? `; ${happened}` : ''}.`
}
