import type { EmailAction, Recipient, Workflow } from '@/core/document/document'
import type { Figure } from '@/core/document/figure'
import type { TableDef } from '@/core/values/tables'

/** Kinds of jobs; each workflow that a job sets off is for one. */
export const KINDS = Array.from({ length: 20 }, (_, i) => `K${String(i).padStart(2, '0')}`)
export const LEAD = 'lead@staff.example'
export const PEOPLE = Array.from({ length: 50 }, (_, i) => `p${i}@staff.example`)
/** Where notices go. */
export const CHANNEL = 'Board'
export const LIMITS = [500, 1_000, 2_000, 4_000, 8_000]
export const GROUPS = ['g0', 'g1', 'g2']

/** How long a job has to stay open to set something off. */
export const STAYS_SECONDS = 20

export const JOBS: TableDef = {
  name: 'jobs',
  label: 'Jobs',
  singular: 'job',
  titleField: 'number',
  fields: [
    { name: 'number', label: 'Number', type: 'text', number: 'J-{000000}' },
    { name: 'kind', label: 'Kind', type: 'choice', choices: KINDS },
    { name: 'stage', label: 'Stage', type: 'choice', choices: ['New', 'Open', 'Done'], default: 'New' },
    { name: 'amount', label: 'Amount', type: 'number' },
    { name: 'contact', label: 'Contact', type: 'email' },
    { name: 'note', label: 'Note', type: 'text' },
  ],
}

/** Where tasks go; the note of a task ends with the page of the job that it is about. */
export const TASKS: TableDef = {
  name: 'tasks',
  label: 'Tasks',
  singular: 'task',
  titleField: 'subject',
  fields: [
    { name: 'subject', label: 'Subject', type: 'text' },
    { name: 'note', label: 'Note', type: 'long text' },
  ],
}

/** What a figure adds up: each group is written by one writer alone, one transaction after the other, so that what it crosses is known. */
export const TALLIES: TableDef = {
  name: 'tallies',
  label: 'Tallies',
  singular: 'tally',
  titleField: 'name',
  fields: [
    { name: 'name', label: 'Name', type: 'text' },
    { name: 'grp', label: 'Group', type: 'choice', choices: GROUPS },
    { name: 'amount', label: 'Amount', type: 'number' },
  ],
}

export const FIGURE: Figure = {
  rappel: 'figure/1',
  name: 'tally_of_group',
  label: 'Tally',
  table: 'tallies',
  of: { sum: 'amount' },
  by: 'grp',
  thresholds: [{ name: 'much', when: 'above', value: 100, rearm: 50 }],
}

const is = (field: string, value: string | number) => ({ field, op: 'is' as const, value })
const mail = (name: string, to: readonly Recipient[], more: Partial<EmailAction> = {}): EmailAction => ({
  name,
  do: 'email' as const,
  to: [...to],
  delivery: 'each' as const,
  subject: '{{ job.number }}',
  body: '{{ job.number }} {{ job.kind }} {{ job.stage }} {{ job.amount }}',
  format: 'plain' as const,
  ...more,
})
const job = (name: string, parts: Partial<Workflow>): Workflow => ({
  rappel: 'workflow/1',
  name,
  table: 'jobs',
  cue: { kind: 'record', on: ['created'] },
  actions: [mail('tell', [{ field: 'contact' }])],
  ...parts,
})

/** Fifty workflows of every cue; their names say what the accountant has to expect. */
export const WORKFLOWS: readonly Workflow[] = [
  ...KINDS.slice(0, 16).map((kind) => job(`created ${kind}`, { conditions: is('kind', kind) })),
  ...KINDS.slice(0, 10).map((kind) =>
    job(`done ${kind}`, {
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [is('kind', kind), is('stage', 'Done')] },
      actions: [mail('tell', [{ field: 'contact' }, { address: LEAD }], kind === 'K00' ? { priority: 'high' } : {})],
    }),
  ),
  ...LIMITS.map((limit) => job(`over ${limit}`, { cue: { kind: 'record', on: ['created', 'changed'] }, conditions: { field: 'amount', op: 'more than', value: limit } })),
  ...KINDS.slice(0, 5).map((kind) => job(`deleted ${kind}`, { cue: { kind: 'record', on: ['deleted'] }, conditions: is('kind', kind) })),
  ...KINDS.slice(10, 13).map((kind) =>
    job(`stays ${kind}`, { cue: { kind: 'record', on: ['created', 'changed'], stays: `PT${STAYS_SECONDS}S` }, conditions: { all: [is('kind', kind), is('stage', 'Open')] } }),
  ),
  ...[1, 2].map((i) =>
    job(`minute ${i}`, {
      cue: { kind: 'timetable', cron: '* * * * *', per: 'all', evenIfNone: true },
      conditions: { field: 'amount', op: 'more than', value: 1e9 },
      actions: [mail('tell', [{ address: LEAD }], { subject: 'minute', body: 'minute' })],
    }),
  ),
  ...[1, 2].map((i) => job(`by hand ${i}`, { cue: { kind: 'by hand', per: 'record' } })),
  {
    rappel: 'workflow/1',
    name: 'much',
    table: 'tallies',
    cue: { kind: 'figure', figure: 'tally_of_group', threshold: 'much' },
    actions: [mail('tell', [{ address: LEAD }], { subject: '{{ figure.before }} to {{ figure.value }}', body: '{{ figure.group }}' })],
  },
  job('spaced', { conditions: is('kind', 'K17'), limits: { spacing: { per: 'recipient', every: 'PT1M' } } }),
  job('gathered', { conditions: is('kind', 'K18'), limits: { digest: { every: 'PT1M' } } }),
  job('posted', { conditions: is('kind', 'K19'), actions: [{ name: 'post', do: 'notice', channel: CHANNEL, text: '{{ job.number }}' }] }),
  job('noted', { conditions: is('kind', 'K19'), actions: [{ name: 'note', do: 'update', set: { note: 'seen' } }] }),
  job('task', {
    cue: { kind: 'record', on: ['changed'] },
    conditions: { all: [is('kind', 'K11'), is('stage', 'Done')] },
    actions: [{ name: 'task', do: 'task', subject: 'Look at {{ job.number }}' }],
  }),
  job('never', { conditions: is('note', 'nothing has this') }),
]
