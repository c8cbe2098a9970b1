import type { EmailAction, Recipient, Workflow } from '../document/document'
import { WHAT_CHANGED } from '../message/what-changed'
import { isOrdered } from '../values/compare'
import { capital, nounOf } from '../values/naming'
import { type FieldDef, type TableDef, targetOf } from '../values/tables'

/** A workflow to begin with, drawn from a table's own fields. */
export interface Starter {
  readonly key: string
  /** What it waits for, in words. */
  readonly words: string
  readonly workflow: Workflow
  /** JSON Pointer of the line that still wants an answer. */
  readonly opened: string
}

/** Whom a starter writes to: the owner, else the first person or email of the record; nobody where there is none. */
function firstRecipient(table: TableDef): Recipient[] {
  const field = table.ownerField ?? table.fields.find((f) => f.type === 'person')?.name ?? table.fields.find((f) => f.type === 'email')?.name
  return field ? [{ field }] : []
}

type Make = (key: string, words: string, parts: Partial<Workflow>, subject: string, lines: string, opened?: string, recipients?: Recipient[]) => Starter

/** What makes a table's starters: drafts that write to a first recipient. */
function makerOf(table: TableDef, mine: string | null, otherwise: string | null): Make {
  const found = firstRecipient(table)
  const to = mine ? [{ address: mine }] : found.length === 0 && otherwise ? [{ address: otherwise }] : found
  return (key, words, parts, subject, lines, opened, recipients = to) => {
    const action: EmailAction = { name: 'tell', do: 'email', to: recipients, subject, body: lines, format: 'plain' }
    const workflow: Workflow = {
      rappel: 'workflow/1',
      name: `${capital(nounOf(table))}: ${words}`,
      table: table.name,
      cue: { kind: 'record', on: ['changed'] },
      actions: [action],
      ...parts,
    }
    return { key, words, workflow, opened: opened ?? '/actions/0' }
  }
}

const inTable = (table: TableDef) => (path: string) => `{{ ${table.singular}.${path} }}`
const BY = '{{ change.by.name }} did this {{ change.at }}.\n\n{{ link }}'

/** The draft that waits until a choice or a yes/no field becomes something. */
function becoming(table: TableDef, field: FieldDef, value: string | boolean | undefined, make: Make): Starter {
  const placeholder = inTable(table)
  const title = placeholder(table.titleField)
  const label = field.label.toLowerCase()
  const said = typeof value === 'boolean' ? (value ? 'yes' : 'no') : value
  return make(
    value === undefined ? 'reached' : `becomes ${field.name} ${said}`,
    `${label} becomes ${said ?? '…'}`,
    { conditions: { all: [{ field: field.name, op: 'is', ...(value === undefined ? {} : { value }) }] } },
    field.type === 'yes/no' ? `${title}: ${label} is ${placeholder(field.name)}` : `${title} is ${placeholder(field.name)}`,
    `${field.label} went from {{ before.${field.name} | default: "blank" }} to ${placeholder(field.name)}.\n\n${BY}`,
    value === undefined ? '/conditions/all/0' : undefined,
  )
}

/** A starter for each value that each choice and yes/no field of a table can become, field by field. */
export function valueStartersOf(
  table: TableDef,
  mine: string | null = null,
  otherwise: string | null = null,
): (Starter & { readonly field: string; readonly value: string | boolean })[] {
  const make = makerOf(table, mine, otherwise)
  return table.fields.flatMap((field) => {
    const values = field.housekeeping ? [] : field.type === 'choice' ? (field.choices ?? []) : field.type === 'yes/no' ? [true, false] : []
    return values.map((value) => ({ ...becoming(table, field, value, make), field: field.name, value }))
  })
}

/**
 * The starters of a table; `mine` is the e-mail of somebody who may only write to themselves, `otherwise` whom the others write to where the
 * table has nobody to.
 */
export function startersOf(table: TableDef, mine: string | null = null, otherwise: string | null = null): Starter[] {
  const make = makerOf(table, mine, otherwise)
  const noun = nounOf(table)
  const placeholder = inTable(table)
  const title = placeholder(table.titleField)
  const by = BY
  const first = (wanted: (f: FieldDef) => boolean) => table.fields.find((f) => !f.housekeeping && wanted(f))
  const [choice, day, amount, person] = [
    first((f) => f.type === 'choice'),
    first((f) => f.type === 'date'),
    first((f) => f.type === 'number' || f.type === 'money'),
    first((f) => f.name === table.ownerField || f.type === 'person'),
  ]
  /** The choice that says how a record stands, which a table may have besides others. */
  const standing = first((f) => f.type === 'choice' && /^(status|state|stage)$/.test(f.name)) ?? choice
  const filled = first((f) => f.name !== table.titleField && !f.required && f.type !== 'yes/no' && f !== person)
  const starters = [
    make('added', 'one is added', { cue: { kind: 'record', on: ['created'] } }, `New ${noun} ${title}`, `${title} has been added.\n\n${by}`),
    make(
      'removed',
      'one is removed',
      { cue: { kind: 'record', on: ['deleted'] } },
      `${capital(noun)} ${title} is gone`,
      `${title} has been removed by {{ change.by.name }}, {{ change.at }}.`,
    ),
    make('changed', 'anything changes', {}, `${capital(noun)} ${title} has changed`, `What changed on ${title}:\n\n${WHAT_CHANGED}\n${by}`),
    person &&
      make(
        'handed over',
        `${person.label.toLowerCase()} becomes somebody else`,
        { conditions: { all: [{ field: person.name, op: 'changed' }] } },
        `${title} is yours now`,
        `${title} went from {{ before.${person.name}.name | default: "nobody" }} to {{ ${table.singular}.${person.name}.name | default: "nobody" }}.\n\n${by}`,
      ),
    choice && becoming(table, choice, undefined, make),
    amount &&
      isOrdered(amount.type) &&
      make(
        'level',
        `${amount.label.toLowerCase()} reaches a level`,
        { conditions: { all: [{ field: amount.name, op: 'crossed above' }] } },
        `${amount.label} of ${title} is ${placeholder(amount.name)}`,
        `It went from {{ before.${amount.name} | default: "blank" }} to ${placeholder(amount.name)}.\n\n${by}`,
        '/conditions/all/0',
      ),
    filled &&
      make(
        'got a value',
        `${filled.label.toLowerCase()} is filled in`,
        { cue: { kind: 'record', on: ['created', 'changed'] }, conditions: { all: [{ field: filled.name, op: 'is filled' }] } },
        `${title} has its ${filled.label.toLowerCase()}`,
        `${filled.label}: ${targetOf(filled) ? `${placeholder(filled.name)}` : placeholder(filled.name)}.\n\n${by}`,
      ),
    standing &&
      make(
        'stays',
        `${standing.label.toLowerCase()} stays … for 5 days`,
        { cue: { kind: 'record', on: ['created', 'changed'], stays: 'P5D' }, conditions: { all: [{ field: standing.name, op: 'is' }] } },
        `${title} has been ${placeholder(standing.name)} since {{ stay.since | date: "%-d %B" }}`,
        `${standing.label} of ${title} has been ${placeholder(standing.name)} for five days.\n\n{{ link }}`,
        '/conditions/all/0',
      ),
    day &&
      make(
        'date near',
        `${day.label.toLowerCase()} comes near`,
        { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, conditions: { all: [{ field: day.name, op: 'within next', value: { days: 7 } }] } },
        `${title}: ${day.label.toLowerCase()} ${placeholder(day.name)}`,
        `${day.label} of ${title} is ${placeholder(day.name)}.\n\n{{ link }}`,
        '/conditions/all/0',
      ),
    standing &&
      table.ownerField &&
      !mine &&
      make(
        'open',
        'every morning, what is open',
        {
          cue: { kind: 'timetable', cron: '0 7 * * 1-5', per: 'owner' },
          conditions: { all: [{ field: standing.name, op: 'is none of' }] },
        },
        `Your ${table.label.toLowerCase()}: {{ records.size }}`,
        `{{ owner.first_name }}, these are open:\n\n{% for r in records %}- {{ r.${table.titleField} }}: {{ r.${standing.name} }}\n{% endfor %}`,
        '/conditions/all/0',
        [{ field: 'owner.email' }],
      ),
    !mine &&
      make(
        'by hand',
        'somebody wants it, by hand',
        { cue: { kind: 'by hand', ask: [{ name: 'note', label: 'Note', type: 'long text', required: true }] } },
        `About ${title}`,
        '{{ asked.note }}\n\n{{ change.by.name }}\n\n{{ link }}',
      ),
  ]
  return starters.filter((s): s is Starter => Boolean(s))
}
