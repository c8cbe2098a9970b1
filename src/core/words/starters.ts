import type { Wording } from '../conditions/sentence'
import type { BringIn, EmailAction, Recipient, Workflow } from '../document/document'
import { possessive } from '../values/naming'
import { type FieldDef, type Schema, type TableDef, targetOf } from '../values/tables'
import { withTexts } from './facts'
import { proposedName } from './proposed-name'

/** A workflow to begin with, drawn from a table's own fields. */
export interface Starter {
  readonly key: string
  /** What it waits for, in words. */
  readonly words: string
  readonly workflow: Workflow
  /** JSON Pointer of the line that still wants an answer. */
  readonly opened: string
  /** The field that it looks at, where it looks at one. */
  readonly field?: string
}

/** A starter that waits until a field becomes one of its values. */
export interface ValueStarter extends Starter {
  readonly field: string
  readonly value: string | boolean
}

/** What starters are drawn with. */
export interface StarterSetting {
  readonly wording: Wording
  /** The e-mail of somebody who may only write to themselves. */
  readonly mine?: string | null
  /** Whom the others write to where the table has nobody to. */
  readonly otherwise?: string | null
  /** How often each field has changed of late; what changes most comes first. Without it fields come as the table has them. */
  readonly moves?: ReadonlyMap<string, number>
}

/** Whom a starter writes to: the owner, else the first person or email of the record; nobody where there is none. */
export function firstRecipient(table: TableDef): Recipient[] {
  const field = table.ownerField ?? table.fields.find((f) => f.type === 'person')?.name ?? table.fields.find((f) => f.type === 'email')?.name
  return field ? [{ field }] : []
}

interface Parts extends Partial<Workflow> {
  readonly to?: Recipient[]
}

type Make = (key: string, words: string, parts: Parts, opened?: string, field?: FieldDef) => Starter

/** A draft that writes to a first recipient where nobody is named, with a name and a text from what it waits for. */
export function draftOf(table: TableDef, { to, ...parts }: Parts, { wording, mine = null, otherwise = null }: StarterSetting): Workflow {
  const found = firstRecipient(table)
  const guessed = mine ? [{ address: mine }] : found.length === 0 && otherwise ? [{ address: otherwise }] : found
  const action: EmailAction = { name: 'tell', do: 'email', to: to ?? guessed }
  const bare: Workflow = { rappel: 'workflow/1', name: '', table: table.name, cue: { kind: 'record', on: ['changed'] }, actions: [action], ...parts }
  return withTexts({ ...bare, name: proposedName(bare, wording) }, new Map(), wording)
}

/** What makes a table's starters. */
function makerOf(table: TableDef, setting: StarterSetting): Make {
  return (key, words, parts, opened = '/actions/0', field) => ({
    key,
    words,
    opened,
    ...(field ? { field: field.name } : {}),
    // made when it is read: of the many that are offered, and looked through for their words, one is taken
    get workflow() {
      return draftOf(table, parts, setting)
    },
  })
}

/** The draft that waits until a choice or a yes/no field becomes something. */
function becoming(field: FieldDef, value: string | boolean | undefined, make: Make): Starter {
  const label = field.label.toLowerCase()
  const said = typeof value === 'boolean' ? (value ? 'yes' : 'no') : value
  return make(
    value === undefined ? `reached ${field.name}` : `becomes ${field.name} ${said}`,
    `${label} becomes ${said ?? '…'}`,
    { conditions: { all: [{ field: field.name, op: 'is', ...(value === undefined ? {} : { value }) }] } },
    value === undefined ? '/conditions/all/0' : undefined,
    field,
  )
}

const own = (table: TableDef) => table.fields.filter((f) => !f.housekeeping)

/** Fields with those that change most first; those that never did stay in the table's order. */
function byMoves(fields: readonly FieldDef[], moves: StarterSetting['moves']): FieldDef[] {
  return fields.toSorted((a, b) => (moves?.get(b.name) ?? 0) - (moves?.get(a.name) ?? 0))
}

/** A starter for each value that each choice and yes/no field of a table can become, field by field. */
export function valueStartersOf(table: TableDef, setting: StarterSetting): ValueStarter[] {
  const make = makerOf(table, setting)
  return byMoves(own(table), setting.moves).flatMap((field) => {
    const values = field.type === 'choice' ? (field.choices ?? []) : field.type === 'yes/no' ? [true, false] : []
    return values.map((value) => Object.assign(becoming(field, value, make), { field: field.name, value }))
  })
}

/** The starters of a table: what is added, removed or changed, then one for each of its fields by what it holds, then lists, timetables and what is run by hand. */
export function startersOf(table: TableDef, setting: StarterSetting): Starter[] {
  const make = makerOf(table, setting)
  const { mine = null, moves, wording } = setting
  const fields = byMoves(own(table), moves)
  const standing = standingField(table, moves)
  const all: Parts['conditions'] = { all: [{ field: standing?.name ?? '', op: 'is' }] }
  const waiting: Starter[] = [
    make('added', 'one is added', { cue: { kind: 'record', on: ['created'] } }),
    make('removed', 'one is removed', { cue: { kind: 'record', on: ['deleted'] } }),
    make('changed', 'anything changes', {}),
  ]
  const late: (Starter | null)[] = [
    standing
      ? make(
          'stays',
          `${standing.label.toLowerCase()} stays … for 5 days`,
          { cue: { kind: 'record', on: ['created', 'changed'], stays: 'P5D' }, conditions: all },
          '/conditions/all/0',
          standing,
        )
      : null,
    standing && table.ownerField && !mine
      ? make(
          'open',
          'every morning, what is open',
          { cue: { kind: 'timetable', cron: '0 7 * * 1-5', per: 'owner' }, conditions: { all: [{ field: standing.name, op: 'is none of' }] }, to: [{ field: 'owner.email' }] },
          '/conditions/all/0',
        )
      : null,
    mine ? null : make('by hand', 'somebody wants it, by hand', { cue: { kind: 'by hand', ask: [{ name: 'note', label: 'Note', type: 'long text', required: true }] } }),
  ]
  return [
    ...waiting,
    ...fields.flatMap((field) => ofField(table, field, make)),
    ...(mine ? [] : listStarters(table, standing, make, wording.schema)),
    ...late.filter((starter) => starter !== null),
  ]
}

/** The choice that says how a record stands, which a table may have besides others; where none is called so, the one that changes most. */
export function standingField(table: TableDef, moves?: StarterSetting['moves']): FieldDef | undefined {
  const choices = own(table).filter((f) => f.type === 'choice')
  return choices.find((f) => /^(status|state|stage)$/.test(f.name)) ?? byMoves(choices, moves)[0]
}

/** The starters about one field, by its type. */
function ofField(table: TableDef, field: FieldDef, make: Make): Starter[] {
  const label = field.label.toLowerCase()
  if (field.type === 'choice') return [becoming(field, undefined, make)]
  if (field.name === table.ownerField || field.type === 'person')
    return [make(`handed over ${field.name}`, `${label} becomes somebody else`, { conditions: { all: [{ field: field.name, op: 'changed' }] } }, undefined, field)]
  if ((field.type === 'number' || field.type === 'money') && !field.number)
    return [make(`level ${field.name}`, `${label} reaches a level`, { conditions: { all: [{ field: field.name, op: 'crossed above' }] } }, '/conditions/all/0', field)]
  if (field.type === 'date')
    return [
      make(
        `near ${field.name}`,
        `${label} comes near`,
        { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, conditions: { all: [{ field: field.name, op: 'within next', value: { days: 7 } }] } },
        '/conditions/all/0',
        field,
      ),
    ]
  const isFilledIn = field.name !== table.titleField && !field.required && !field.readOnly && !field.number && field.type !== 'yes/no'
  return isFilledIn
    ? [
        make(
          `filled ${field.name}`,
          `${label} is filled in`,
          { cue: { kind: 'record', on: ['created', 'changed'] }, conditions: { all: [{ field: field.name, op: 'is filled' }] } },
          undefined,
          field,
        ),
      ]
    : []
}

/** Most starters that tell everyone on a list. */
const MOST_LISTS = 4

/** The starters that write to everyone on a list: what points at the record, and what points at something that the record points at too. */
function listStarters(table: TableDef, standing: FieldDef | undefined, make: Make, schema: Schema): Starter[] {
  const conditions = standing ? { all: [{ field: standing.name, op: 'is' as const }] } : undefined
  const waits = standing ? `${standing.label.toLowerCase()} becomes …` : 'anything changes'
  const opened = standing ? '/conditions/all/0' : undefined
  const begun = { ...(conditions ? { conditions } : {}) }
  const found: Starter[] = []
  for (const other of schema.values()) {
    if (other.name === 'person' || other.name === table.name) continue
    const address = addressOf(other, schema)
    if (address === null) continue
    const label = other.label.toLowerCase()
    for (const link of other.fields.filter((f) => f.type === 'link')) {
      const target = targetOf(link)
      if (target === table.name) {
        const list = `${other.name}.${link.name}`
        found.push(make(`everyone ${list}`, `${waits}, tell everyone on its ${label}`, { ...begun, to: [{ list, field: address }] }, opened))
        continue
      }
      const through = table.fields.find((f) => f.type === 'link' && targetOf(f) === target)
      if (!through) continue
      const bring: BringIn = { name: other.name, list: `${other.name}.${link.name}`, of: through.name }
      const words = `${waits}, tell all ${label} of its ${through.label.toLowerCase()}`
      found.push(make(`everyone ${through.name} ${bring.list}`, words, { ...begun, bringIn: [bring], to: [{ list: other.name, field: address }] }, opened))
    }
  }
  return found.slice(0, MOST_LISTS)
}

/** The path from a record to an address: a field of its own, else that of somebody it points at; null where there is none. */
function addressOf(table: TableDef, schema: Schema): string | null {
  const email = table.fields.find((f) => f.type === 'email')
  if (email) return email.name
  for (const link of table.fields.filter((f) => f.type === 'link')) {
    const target = schema.get(targetOf(link) ?? '')?.fields.find((f) => f.type === 'email')
    if (target) return `${link.name}.${target.name}`
  }
  return table.ownerField ?? null
}

/** The words of a starter as a whole sentence: "when the status of a claim becomes Settled" is "claim’s status becomes Settled". */
export function starterSentence({ words, field }: Starter, table: TableDef): string {
  const noun = table.singular.replaceAll('_', ' ')
  if (field) return `${possessive(noun)} ${words}`
  return words.startsWith('one is') ? `${noun} ${words.slice('one '.length)}` : `${noun}: ${words}`
}
