import fc from 'fast-check'
import { OPERATORS } from '@/core/conditions/operators'
import { type Clause, type Condition, OPS } from '@/core/document/condition'
import type { Action, Cue, Recipient, Workflow } from '@/core/document/document'
import { type FieldDef, PERSON_TABLE, type Schema, type TableDef } from '@/core/values/tables'
import type { Installation } from '@/core/words/read/installation'
import { GROUPS, PEOPLE } from '@/demo/people'
import { TABLES } from '@/demo/tables'
import { ORGANISATION } from './core'

const schema: Schema = new Map([['person', PERSON_TABLE] as const, ...TABLES.map((t) => [t.name, t] as const)])

/** The demo's words, which workflows are written and read with. */
export const INSTALLATION: Installation = {
  schema,
  organisation: ORGANISATION,
  names: new Map(PEOPLE.map((p) => [p.email, p.name])),
  groups: GROUPS.map((g) => g.name),
  teams: [...new Set(PEOPLE.map((p) => p.team))],
  channels: ['Quays', 'Office'],
  templates: [
    { name: 'Charter agreed', table: 'enquiries' },
    { name: 'Acknowledgement', table: 'claims' },
  ],
  senders: ['Claims desk'],
  files: ['Conditions of carriage.pdf'],
  me: 'maren.voss@ternsay-ferries.example',
}

const people = PEOPLE.map((p) => p.email)

/** Texts as people write them, and some that nobody would. */
export const anyText = fc.oneof(
  {
    weight: 3,
    arbitrary: fc.constantFrom(
      'Ferry',
      'due and paid',
      'a, b; c',
      'see {{ claim.number }}',
      '“so”',
      '"so"',
      'true',
      '12',
      'none',
      '|',
      '= 1 + 1',
      'muted: yes',
      'email its owner',
      'Straße',
      ' a ',
      'a\nb',
      'x\n\n  y\n',
      '2.1 status is New',
      'name: x',
      '`owner`',
    ),
  },
  { weight: 1, arbitrary: fc.string({ maxLength: 12, unit: 'grapheme' }) },
)

const pathsOf = (table: TableDef): { path: string; field: FieldDef }[] =>
  table.fields.flatMap((field) => {
    const target = schema.get(field.type === 'person' ? 'person' : (field.table ?? ''))
    return [{ path: field.name, field }, ...(target?.fields.map((f) => ({ path: `${field.name}.${f.name}`, field: f })) ?? [])]
  })

function literal(field: FieldDef): fc.Arbitrary<string | number | boolean> {
  switch (field.type) {
    case 'choice':
      return fc.oneof({ weight: 9, arbitrary: fc.constantFrom(...(field.choices ?? ['x'])) }, { weight: 1, arbitrary: anyText })
    case 'person':
      return fc.constantFrom(...people, 'nobody@x.example')
    case 'yes/no':
      return fc.boolean()
    case 'number':
    case 'money':
      return fc.oneof(fc.integer({ min: -2_000_000, max: 2_000_000 }), fc.constantFrom(0.1, 12.5, 1000.55, '5', '12345678901234567890', 1e21, 0.001))
    case 'date':
      return fc.constantFrom('2026-02-28', '2026-03-03', '1999-12-31', 'soon')
    case 'date-time':
      return fc.constantFrom('2026-03-03T07:40:00Z', '2026-07-03T07:40:00.000Z', '2026-03-03T07:40:31Z')
    case 'link':
    case 'file':
      return fc.integer({ min: 1, max: 99 })
    default:
      return anyText
  }
}

const clause = (table: TableDef): fc.Arbitrary<Clause> =>
  fc.constantFrom(...pathsOf(table)).chain(({ path, field }) => {
    const ops = OPS.filter((op) => OPERATORS[op].on(field.type))
    return fc.constantFrom(...ops).chain((op): fc.Arbitrary<Clause> => {
      const { operand } = OPERATORS[op]
      const one = fc.oneof(
        { weight: 6, arbitrary: literal(field) as fc.Arbitrary<unknown> },
        {
          weight: 1,
          arbitrary: fc.constantFrom<unknown>(
            ...(field.type.startsWith('date') ? [{ today: 0 }, { today: -3 }, { today: 14 }] : field.type === 'person' ? [{ changedBy: true }] : [null, { formula: '1 + 1' }]),
          ),
        },
        { weight: 1, arbitrary: fc.constantFrom(...table.fields.filter((f) => f.type === field.type).map((f) => ({ field: f.name })), { field: 'gone' }) },
      )
      const muted = fc.option(fc.constant({ muted: true as const }), { nil: {}, freq: 8 })
      const of = (more: fc.Arbitrary<object>) => fc.tuple(more, muted).map(([m, mute]) => ({ field: path, op, ...m, ...mute }) as Clause)
      if (operand === 'none') return of(fc.constant({}))
      if (operand === 'many') return of(fc.array(field.type === 'yes/no' ? anyText : literal(field), { maxLength: 3 }).map((value) => ({ value })))
      if (operand === 'span') return of(fc.constantFrom({ days: 1 }, { days: 14 }, { hours: 3 }, { minutes: 90 }).map((value) => ({ value })))
      if (operand === 'two') return of(fc.tuple(one, one).map(([value, to]) => ({ value, to })))
      return of(fc.oneof({ weight: 9, arbitrary: one.map((value) => ({ value })) }, { weight: 1, arbitrary: fc.constant({}) }))
    })
  })

const keptOf = new Map<string, fc.Arbitrary<Condition>>()
/** Any condition on a table; made once, for making one takes longer than drawing from it. */
function condition(table: TableDef): fc.Arbitrary<Condition> {
  const known = keptOf.get(table.name) ?? conditionOn(table)
  keptOf.set(table.name, known)
  return known
}

const conditionOn = (table: TableDef): fc.Arbitrary<Condition> =>
  fc.letrec<{ of: Condition }>((tie) => ({
    of: fc.oneof(
      { maxDepth: 2, depthSize: 'xsmall', withCrossShrink: true },
      clause(table),
      fc.record({ all: fc.array(tie('of'), { maxLength: 2 }) }),
      fc.record({ any: fc.array(tie('of'), { maxLength: 2 }) }),
      fc.record({ none: fc.array(tie('of'), { maxLength: 2 }) }),
    ) as fc.Arbitrary<Condition>,
  })).of

const addressed = (table: TableDef) => pathsOf(table).filter(({ field }) => field.type === 'person' || field.type === 'email')

const recipient = (table: TableDef): fc.Arbitrary<Recipient> => {
  const lists = [...schema.values()].flatMap((t) => t.fields.filter((f) => f.table === table.name).map((f) => ({ list: `${t.name}.${f.name}`, of: t })))
  return fc.oneof(
    ...[
      ...(addressed(table).length
        ? [
            fc.constantFrom(
              ...addressed(table).flatMap(({ path, field }): Recipient[] => [
                { field: path },
                { field: `before.${path}` },
                ...(field.type === 'person' ? [{ managerOf: path }] : []),
              ]),
            ),
          ]
        : []),
      ...(lists.length
        ? [fc.constantFrom(...lists.flatMap(({ list, of }) => addressed(of).map(({ path }): Recipient => ({ list, field: path }))), { list: lists[0]?.list ?? '', field: 'email' })]
        : []),
      fc.constantFrom<Recipient>(
        ...INSTALLATION.groups.map((group) => ({ group })),
        { team: 'Office' },
        { team: 'Nowhere' },
        { changedBy: true },
        { address: people[0] ?? '' },
        { address: 'a@b.example' },
        { address: '' },
        { text: '{{ claim.x }}' },
      ),
    ],
  )
}

const value = (field: FieldDef) =>
  fc.oneof(
    { weight: 4, arbitrary: literal(field) as fc.Arbitrary<unknown> },
    { weight: 1, arbitrary: fc.constantFrom<unknown>(null, { today: 0 }, { today: 3 }, { now: true }, { field: 'owner' }, { formula: 'a + b' }) },
    { weight: 1, arbitrary: anyText.map((text) => ({ text })) },
  )

const setOf = (table: TableDef) =>
  fc
    .uniqueArray(fc.constantFrom(...table.fields), { minLength: 1, maxLength: 3, selector: (f) => f.name })
    .chain((fields) => fc.tuple(...fields.map((f) => value(f))).map((values) => Object.fromEntries(fields.map((f, i) => [f.name, values[i]]))))

const some = <T>(of: fc.Arbitrary<T>, freq = 3) => fc.option(of, { nil: undefined, freq })
const actionName = fc.constantFrom('email_1', 'tell the owner', 'x', 'task_2', 'inspection')

const plainAction = (table: TableDef): fc.Arbitrary<Action> =>
  fc.oneof(
    fc.record({
      name: actionName,
      do: fc.constant('email'),
      muted: some(fc.constant(true), 9),
      to: fc.array(recipient(table), { maxLength: 2 }),
      cc: some(fc.array(recipient(table), { maxLength: 2 })),
      bcc: some(fc.array(recipient(table), { maxLength: 2 })),
      from: some(fc.constantFrom('owner', 'default', { sender: 'Claims desk' }, { sender: 'x' })),
      replyTo: some(recipient(table)),
      template: some(fc.constantFrom('Acknowledgement', 'Gone')),
      subject: some(anyText),
      body: some(anyText),
      format: some(fc.constantFrom('rich', 'plain')),
      delivery: some(fc.constantFrom('together', 'each')),
      ifNobody: some(fc.array(recipient(table), { maxLength: 2 })),
      priority: some(fc.constantFrom('low', 'normal', 'high')),
      attach: some(fc.constantFrom([{ file: 'Conditions of carriage.pdf' }], [{ field: 'letter', as: 'link' }], [])),
    }),
    fc.record({
      name: actionName,
      do: fc.constant('notice'),
      channel: some(fc.constantFrom('Quays', 'x')),
      to: some(fc.array(recipient(table), { maxLength: 2 })),
      title: some(anyText),
      text: anyText,
    }),
    fc.record({ name: actionName, do: fc.constant('update'), target: some(fc.constantFrom('owner', 'vessel', 'x')), set: setOf(table) }),
    fc.constantFrom(...TABLES).chain((made) => fc.record({ name: actionName, do: fc.constant('create'), table: fc.constant(made.name), set: setOf(made) })),
    fc.record({
      name: actionName,
      do: fc.constant('task'),
      subject: anyText,
      owner: some(fc.constantFrom('owner', 'x')),
      due: some(fc.constantFrom<unknown>({ today: 2 }, '2026-03-03', null, { field: 'due' })),
      note: some(anyText),
    }),
  ) as fc.Arbitrary<Action>

const action = (table: TableDef): fc.Arbitrary<Action> =>
  fc.letrec<{ of: Action }>((tie) => ({
    of: fc.oneof(
      { maxDepth: 2, depthSize: 'xsmall', withCrossShrink: true },
      plainAction(table),
      fc.record({
        name: actionName,
        do: fc.constant('each'),
        of: fc.constantFrom('bookings.sailing', 'guests', 'bookings'),
        as: fc.constantFrom('booking', 'one_of_them'),
        where: some(condition(schema.get('bookings') as TableDef)),
        actions: fc.array(tie('of'), { maxLength: 2 }),
      }),
      fc.record({
        name: actionName,
        do: fc.constant('choose'),
        branches: fc.array(fc.record({ when: condition(table), actions: fc.array(tie('of'), { maxLength: 2 }) }), { maxLength: 2 }),
        otherwise: some(fc.array(tie('of'), { maxLength: 2 })),
      }),
    ) as fc.Arbitrary<Action>,
  })).of

const cueOf = (table: TableDef): fc.Arbitrary<Cue> =>
  fc.oneof(
    fc.record({
      kind: fc.constant('record'),
      on: fc.subarray(['created', 'changed', 'deleted'], { minLength: 1 }),
      fields: some(
        fc.subarray(
          table.fields.map((f) => f.name),
          { minLength: 1, maxLength: 2 },
        ),
      ),
      whose: some(fc.constantFrom<unknown>({ team: 'Office' }, { person: people[2] }, { person: 'x@y.example' })),
      stays: some(fc.constantFrom('P5D', 'PT4H', 'PT90M', 'P1DT12H', 'x')),
    }),
    fc.record({
      kind: fc.constant('timetable'),
      cron: fc.constantFrom('0 7 * * 1-5', '*/15 * * * *', '30 8,16 1 * *', '0 6 * jan mon', 'x', '0 */2 * * *', '15 9 1-7 3 2'),
      per: fc.constantFrom('record', 'owner', 'all'),
      order: some(fc.constantFrom('due', '-amount')),
      evenIfNone: some(fc.boolean()),
    }),
    fc.record({
      kind: fc.constant('by hand'),
      per: some(fc.constantFrom('record', 'all', 'none')),
      ask: some(fc.constantFrom([{ name: 'note', label: 'Note', type: 'text' }])),
      who: some(fc.constantFrom<unknown>({ roles: ['editor'] }, { teams: ['Office'], groups: ['Directors'] }, {})),
    }),
    fc.record({ kind: fc.constant('figure'), figure: fc.constant('overdue'), threshold: fc.constant('many') }),
  ) as fc.Arbitrary<Cue>

const limits = fc.record({
  spacing: some(fc.constantFrom({ per: 'record', every: 'PT1H' }, { per: 'recipient', every: 'P1D' }, { per: 'workflow', every: 'x' })),
  digest: some(fc.constantFrom<unknown>({ every: 'PT1H' }, { at: ['08:00', '16:00'] }, { at: 'organisation', columns: ['owner'] })),
  quietHours: some(fc.constantFrom<unknown>('organisation', { from: '22:00', to: '07:00' }, { from: '22:00', to: '07:00', days: [6, 7] })),
  perDay: some(fc.integer({ min: 1, max: 500 })),
  mayStop: some(fc.boolean()),
})

/** Members without those that are not there, as a document from outside has them. */
const asJson = <T>(of: T): T => JSON.parse(JSON.stringify(of))

const workflowOn = (table: TableDef) =>
  fc
    .record({
      rappel: fc.constant('workflow/1'),
      name: fc.oneof(
        fc.constantFrom('Claim settled', 'Name: x', '“Quoted”', 'true'),
        anyText.map((t) => [...t.trim()].slice(0, 60).join('').trim() || 'x'),
      ),
      note: some(anyText),
      table: fc.constant(table.name),
      cue: cueOf(table),
      conditions: some(condition(table), 6),
      firing: some(fc.constantFrom('entering', 'every')),
      bringIn: some(
        fc.array(
          fc.constantFrom(
            { name: 'guests', list: 'bookings.sailing', order: 'reference' },
            { name: 'boss', link: 'owner' },
            { name: 'people_there', list: 'contacts.company', of: 'company', limit: 3 },
            { name: 'x', list: 'vessels', where: { field: 'name', op: 'is', value: 'Gannet' } },
            { name: '' },
          ),
          { maxLength: 2 },
        ),
      ),
      values: some(fc.array(fc.constantFrom({ name: 'net', formula: 'a - b' }, { name: 'hello', text: 'Dear\nall' }, { name: 'two words', text: 'x' }), { maxLength: 2 })),
      actions: fc.oneof({ weight: 4, arbitrary: fc.array(action(table), { maxLength: 1 }) }, { weight: 1, arbitrary: fc.array(action(table), { maxLength: 3 }) }),
      refire: some(fc.boolean(), 9),
      limits: some(limits, 4),
    })
    .map((w) => asJson(w) as unknown as Workflow)

/** Any workflow that a document can hold: of every cue, with every operator, action and limit, filled with ordinary and with odd texts. */
export const anyWorkflow: fc.Arbitrary<Workflow> = fc.oneof(...TABLES.map(workflowOn))
