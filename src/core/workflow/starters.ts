import type { EmailAction, Recipient, Workflow } from '../document/document'
import { isOrdered } from '../values/compare'
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

const CHANGES = `{% for field in change.fields %}- {{ field.label }}: {{ field.before | default: "blank" }} to {{ field.after | default: "blank" }}
{% endfor %}`

/** Whom a starter writes to: the owner, else the first person or email of the record; nobody where there is none. */
function firstRecipient(table: TableDef): Recipient[] {
  const field = table.ownerField ?? table.fields.find((f) => f.type === 'person')?.name ?? table.fields.find((f) => f.type === 'email')?.name
  return field ? [{ field }] : []
}

/** The starters of a table; `mine` is the e-mail of somebody who may only write to themselves. */
export function startersOf(table: TableDef, mine: string | null = null): Starter[] {
  const to = mine ? [{ address: mine }] : firstRecipient(table)
  const noun = table.singular.replaceAll('_', ' ')
  const placeholder = (path: string) => `{{ ${table.singular}.${path} }}`
  const make = (key: string, words: string, parts: Partial<Workflow>, subject: string, lines: string, opened?: string, recipients: Recipient[] = to): Starter => {
    const action: EmailAction = { name: 'tell', do: 'email', to: recipients, subject, body: lines, format: 'plain' }
    const workflow: Workflow = {
      rappel: 'workflow/1',
      name: `${capital(noun)}: ${words}`,
      table: table.name,
      cue: { kind: 'record', on: ['changed'] },
      actions: [action],
      ...parts,
    }
    return { key, words, workflow, opened: opened ?? '/actions/0' }
  }
  const title = placeholder(table.titleField)
  const by = '{{ change.by.name }} did this {{ change.at }}.\n\n{{ link }}'
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
    make('changed', 'anything changes', {}, `${capital(noun)} ${title} has changed`, `What changed on ${title}:\n\n${CHANGES}\n${by}`),
    person &&
      make(
        'handed over',
        `${person.label.toLowerCase()} becomes somebody else`,
        { conditions: { all: [{ field: person.name, op: 'changed' }] } },
        `${title} is yours now`,
        `${title} went from {{ before.${person.name}.name | default: "nobody" }} to {{ ${table.singular}.${person.name}.name | default: "nobody" }}.\n\n${by}`,
      ),
    choice &&
      make(
        'reached',
        `${choice.label.toLowerCase()} becomes …`,
        { conditions: { all: [{ field: choice.name, op: 'is' }] } },
        `${title} is ${placeholder(choice.name)}`,
        `${choice.label} went from {{ before.${choice.name} | default: "blank" }} to ${placeholder(choice.name)}.\n\n${by}`,
        '/conditions/all/0',
      ),
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

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
