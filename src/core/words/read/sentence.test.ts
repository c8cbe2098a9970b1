import fc from 'fast-check'
import type { Workflow } from '@/core/document/document'
import type { TableDef } from '@/core/values/tables'
import { anyWorkflow, INSTALLATION } from '../../../../tests/support/workflows'
import { readLine } from './sentence'
import { MOST_READ } from './tokens'
import { wordsIn } from './words-in'

const read = (text: string, table?: string) => wordsIn(text, INSTALLATION, table ? INSTALLATION.schema.get(table) : null)
/** A workflow that was understood whole. */
function whole(text: string, table?: string): Workflow {
  const { workflow, unread, readings } = read(text, table)
  expect({ text, unread, readings }).toEqual({ text, unread: [], readings: undefined })
  if (!workflow) throw new Error(`Nothing was read of “${text}”.`)
  return workflow
}
const clauses = (text: string, table?: string) => whole(text, table).conditions
const mail = (text: string) => whole(text).actions[0]

describe('what is waited for', () => {
  test.each([
    ['when a claim is created email me', { table: 'claims', cue: { kind: 'record', on: ['created'] } }],
    ['When a new claim comes in, notify me', { table: 'claims', cue: { on: ['created'] } }],
    ['whenever claims are added or changed tell me', { cue: { on: ['created', 'changed'] } }],
    ['as soon as a charter enquiry is removed write to me', { table: 'enquiries', cue: { on: ['deleted'] } }],
    ['when a claim is changed in offer or amount tell me', { cue: { on: ['changed'], fields: ['offer', 'amount'] } }],
    ['when a claim is created, the team Office’s, email me', { cue: { on: ['created'], whose: { team: 'Office' } } }],
    ['when a claim is changed, Rafi Demir’s, email me', { cue: { whose: { person: 'rafi.demir@ternsay-ferries.example' } } }],
    ['every working day at 07:00 for each claim where due is within the next 3 days email its owner', { cue: { kind: 'timetable', cron: '0 7 * * 1-5', per: 'record' } }],
    ['each Monday at 8 for each owner, their claims that fit email the owner', { cue: { cron: '0 8 * * 1', per: 'owner' }, actions: [{ to: [{ field: 'owner' }] }] }],
    ['every 15 minutes, all defects that fit, even if there are none, email me', { cue: { cron: '*/15 * * * *', per: 'all', evenIfNone: true } }],
    ['by hand, on a claim, by editors or the group Directors, email its passenger', { cue: { kind: 'by hand', who: { roles: ['editor'], groups: ['Directors'] } } }],
    ['if a claim is created email its owner', { cue: { on: ['created'] } }],
    ['when a defect is reported tell me', { table: 'defects', cue: { on: ['created'] } }],
    ['when somebody edits a claim tell me', { cue: { on: ['changed'] } }],
    ['when someone deletes a booking tell me', { table: 'bookings', cue: { on: ['deleted'] } }],
  ])('%s', (text, is) => expect(whole(text)).toMatchObject(is))
})

describe('on what conditions', () => {
  test.each([
    ['when a claim becomes Settled tell me', { all: [{ field: 'status', op: 'is', value: 'Settled' }] }],
    ['when a claim turns in review tell me', { all: [{ field: 'status', op: 'is', value: 'In review' }] }],
    ['when a claim’s status gets CLOSED tell me', { all: [{ field: 'status', op: 'is', value: 'Closed' }] }],
    ['when a task is done tell me', { all: [{ field: 'done', op: 'is', value: true }] }],
    ['when a booking is not paid tell me', { all: [{ field: 'paid', op: 'is', value: false }] }],
    ['when a defect stops sailing tell me', { all: [{ field: 'severity', op: 'is', value: 'Stops sailing' }] }],
    ['when a claim is handed over tell me', { all: [{ field: 'owner', op: 'changed' }] }],
    ['when a claim is assigned to somebody tell me', { all: [{ field: 'owner', op: 'changed' }] }],
    ['when a claim is assigned to Rafi Demir tell me', { all: [{ field: 'owner', op: 'is', value: 'rafi.demir@ternsay-ferries.example' }] }],
    ['when the amount of a claim rises above 1000 tell me', { all: [{ field: 'amount', op: 'crossed above', value: 1000 }] }],
    ['when amount changes on a claim tell me', { all: [{ field: 'amount', op: 'changed' }] }],
    ['when a claim’s amount is increased tell me', { all: [{ field: 'amount', op: 'rose' }] }],
    ['when a defect is raised with severity Stops sailing tell me', { all: [{ field: 'severity', op: 'is', value: 'Stops sailing' }] }],
    ['when a claim of kind Refund is created tell me', { all: [{ field: 'kind', op: 'is', value: 'Refund' }] }],
    ['when a refund claim is created tell me', { all: [{ field: 'kind', op: 'is', value: 'Refund' }] }],
    ['when a claim’s amount rises above £1,250.50 tell me', { all: [{ field: 'amount', op: 'crossed above', value: 1250.5 }] }],
    [
      'when a claim’s amount is over 500 or its status is Closed tell me',
      {
        any: [
          { field: 'amount', op: 'more than', value: 500 },
          { field: 'status', op: 'is', value: 'Closed' },
        ],
      },
    ],
    ['when a claim’s amount is 500 or more tell me', { all: [{ field: 'amount', op: 'at least', value: 500 }] }],
    ['when a claim has no owner tell me', { all: [{ field: 'owner', op: 'is blank' }] }],
    ['when a claim’s status is New or In review tell me', { all: [{ field: 'status', op: 'is one of', value: ['New', 'In review'] }] }],
    ['when a claim’s owner is Rafi Demir tell me', { all: [{ field: 'owner', op: 'is', value: 'rafi.demir@ternsay-ferries.example' }] }],
    ['when a claim’s passenger’s speaks is Norwegian tell me', { all: [{ field: 'passenger.speaks', op: 'is', value: 'Norwegian' }] }],
    ['when the superintendent of an item’s vessel is changed tell me', null],
    ['when an item’s quantity is below its reorder level tell me', { all: [{ field: 'quantity', op: 'less than', value: { field: 'reorder_level' } }] }],
    ['when a claim’s due is between 3 March 2026 and 31/3/2026 tell me', { all: [{ field: 'due', op: 'between', value: '2026-03-03', to: '2026-03-31' }] }],
    ['when a claim’s due is tomorrow tell me', { all: [{ field: 'due', op: 'is', value: { today: 1 } }] }],
    ['when a claim’s due is within a week tell me', { all: [{ field: 'due', op: 'within next', value: { days: 7 } }] }],
    ['when a claim’s status changes from New to Closed tell me', { all: [{ field: 'status', op: 'changed from to', value: 'New', to: 'Closed' }] }],
    ['when a document is added to Minutes/2026 tell me', { all: [{ field: 'folder', op: 'is in', value: 'Minutes/2026' }] }],
    ['when a passenger’s name contains “and or” tell me', { all: [{ field: 'name', op: 'contains', value: 'and or' }] }],
    [
      'when a claim changes and (its kind is Refund or amount is over 5) tell me',
      {
        any: [
          { field: 'kind', op: 'is', value: 'Refund' },
          { field: 'amount', op: 'more than', value: 5 },
        ],
      },
    ],
  ] as const)('%s', (text, is) => {
    const { conditions } = is === null ? { conditions: null } : whole(text)
    if (is === null) expect(read(text).unread.length).toBeGreaterThan(0)
    else expect(conditions && 'op' in conditions ? { all: [conditions] } : 'any' in is && conditions && 'all' in conditions ? conditions.all[0] : conditions).toEqual(is)
  })

  test.each<[string, object]>([
    ['is Settled or its amount is over 5', { any: [{ value: 'Settled' }, { field: 'amount' }] }],
    ['becomes Settled or its owner changes', { any: [{ value: 'Settled' }, { field: 'owner', op: 'changed' }] }],
    ['is Settled or (amount is over 5 and kind is Refund)', { any: [{ value: 'Settled' }, { all: [{ field: 'amount' }, { field: 'kind' }] }] }],
    ['is created, unless its kind is Refund,', { all: [{ field: 'kind', op: 'is not', value: 'Refund' }] }],
    ['is created unless its amount is over 500', { none: [{ field: 'amount', op: 'more than', value: 500 }] }],
    ['changes from New', { all: [{ field: 'status', op: 'changed from', value: 'New' }] }],
    ['is no longer In review', { all: [{ field: 'status', op: 'is not', value: 'In review' }] }],
    ['with amount not more than 500', { all: [{ field: 'amount', op: 'at most', value: 500 }] }],
  ])('when a claim %s', (words, is) => expect(clauses(`when a claim ${words} tell me`)).toMatchObject(is))

  test('what happens, or what holds, is one workflow where a change can say both, and else is marked', () => {
    expect(whole('when a claim is created or its owner changes tell me')).toMatchObject({
      cue: { on: ['created', 'changed'] },
      conditions: { all: [{ field: 'owner', op: 'changed' }] },
    })
    expect(whole('when a claim is created or deleted tell me').cue).toMatchObject({ on: ['created', 'deleted'] })
    for (const text of [
      'when a claim is created or its amount is over 500 tell me',
      'when a claim is created or becomes Settled tell me',
      'when a claim becomes Settled or is created tell me',
    ])
      expect(read(text).unread.map((u) => [text.slice(u.from, u.to), u.message])).toEqual([['or', expect.stringContaining('make two')]])
  })

  test('where “and” and “or” stand side by side, both ways are offered', () => {
    expect(read('when a claim is Settled or amount is over 5 and kind is Refund tell me').readings?.map((way) => way.workflow?.conditions)).toMatchObject([
      { any: [{}, { all: [{}, {}] }] },
      { all: [{ any: [{}, {}] }, {}] },
    ])
  })

  test('what is said of a record is said where its table is known', () => {
    expect(clauses('it becomes Late, email its duty officer', 'sailings')).toMatchObject({ all: [{ field: 'status', value: 'Late' }] })
    expect(whole('done is yes, tell Rafi Demir', 'tasks').table).toBe('tasks')
  })

  test('where no table is named, the fields say which', () => {
    expect(whole('when stage becomes Won email its owner').table).toBe('enquiries')
  })
})

describe('who gets which mail', () => {
  test.each([
    [
      'when a claim is created email its owner and the claims desk, copy to its owner’s manager',
      { to: [{ field: 'owner' }, { group: 'Claims desk' }], cc: [{ field: 'owner.manager' }] },
    ],
    ['when a claim is created tell the manager of its owner', { to: [{ managerOf: 'owner' }] }],
    ['when a claim is changed alert the previous owner and whoever changed it', { to: [{ field: 'before.owner' }, { changedBy: true }] }],
    ['when a claim is created inform its passenger', { to: [{ field: 'passenger.email' }] }],
    ['when a claim is created email Oona Brisk, bcc x@y.example', { to: [{ address: 'oona.brisk@ternsay-ferries.example' }], bcc: [{ address: 'x@y.example' }] }],
    ['when a claim is created email the team Office, one each', { to: [{ team: 'Office' }], delivery: 'each' }],
    ['when a sailing is changed email each booking’s passenger', { to: [{ list: 'bookings.sailing', field: 'passenger.email' }] }],
    ['when a sailing is changed email the passenger of each booking', { to: [{ list: 'bookings.sailing', field: 'passenger.email' }] }],
    ['when a sailing is changed email everyone on its bookings', { to: [{ list: 'bookings.sailing', field: 'passenger.email' }] }],
    ['when a sailing is changed email the passengers of its bookings', { to: [{ list: 'bookings.sailing', field: 'passenger.email' }] }],
    ['when a sailing is changed email its bookings’ passengers', { to: [{ list: 'bookings.sailing', field: 'passenger.email' }] }],
    ['when a claim is created send its passenger the template Acknowledgement', { to: [{ field: 'passenger.email' }], template: 'Acknowledgement' }],
    ['when a claim is created send the template Acknowledgement to its passenger, urgent', { to: [{ field: 'passenger.email' }], template: 'Acknowledgement', priority: 'high' }],
    [
      'when a claim is created email its passenger from its owner, template Acknowledgement, attach Conditions of carriage.pdf, urgent',
      { from: 'owner', template: 'Acknowledgement', attach: [{ file: 'Conditions of carriage.pdf' }], priority: 'high' },
    ],
    ['when a claim is created email its passenger from Claims desk, replies to its owner', { from: { sender: 'Claims desk' }, replyTo: { field: 'owner' } }],
    ['when a claim is created email its owner with its letter and with a link to its letter', { attach: [{ field: 'letter' }, { field: 'letter', as: 'link' }] }],
    ['when a claim is created email its owner, subject “Look”, saying “{{ claim.number }}”', { subject: 'Look', body: '{{ claim.number }}' }],
  ])('%s', (text, is) => expect(mail(text)).toMatchObject(is))

  test('a list of a linked record is brought in for it', () => {
    expect(whole('when an enquiry is won email every contact of its company')).toMatchObject({
      bringIn: [{ name: 'contacts', list: 'contacts.company', of: 'company' }],
      actions: [{ to: [{ list: 'contacts', field: 'email' }] }],
    })
  })
})

describe('what else is done', () => {
  test.each([
    ['when a claim is created set due to tomorrow', { do: 'update', set: { due: { today: 1 } } }],
    ['when a claim is created set its status to Closed and its owner to Rafi Demir', { set: { status: 'Closed', owner: 'rafi.demir@ternsay-ferries.example' } }],
    ['when a claim is created set its booking’s paid to yes', { do: 'update', target: 'booking', set: { paid: true } }],
    ['when a claim is created task for its owner in 2 days', { do: 'task', owner: 'owner', due: { today: 2 }, subject: 'Follow up {{ claim.number }}' }],
    ['when a claim is created add a task “Call them”', { do: 'task', subject: 'Call them', owner: 'owner', due: { today: 2 } }],
    ['when a vessel is changed create an inspection with due in 2 days', { do: 'create', table: 'inspections', set: { vessel: { field: 'id' }, due: { today: 2 } } }],
    ['when a claim is created post in Quays “New one”', { do: 'notice', channel: 'Quays', text: 'New one' }],
    ['when a claim is created notify the channel Quays “New one”', { do: 'notice', channel: 'Quays', text: 'New one' }],
    [
      'when a sailing is changed, for each booking where it is paid email its passenger',
      { do: 'each', of: 'bookings.sailing', as: 'booking', where: { field: 'paid', op: 'is', value: true }, actions: [{ to: [{ field: 'booking.passenger.email' }] }] },
    ],
    [
      'when a claim is created, if amount is over 500 tell the directors, otherwise tell its owner',
      { do: 'choose', branches: [{ actions: [{ to: [{ group: 'Directors' }] }] }], otherwise: [{ to: [{ field: 'owner' }] }] },
    ],
  ])('%s', (text, is) => expect(mail(text)).toMatchObject(is))

  test('limits, and how long it is to stay so', () => {
    expect(whole('when a claim is in review for 5 days tell its owner, no more than one per claim in 1 day, quiet 22:00 to 07:00')).toMatchObject({
      cue: { stays: 'P5D' },
      limits: { spacing: { per: 'record', every: 'P1D' }, quietHours: { from: '22:00', to: '07:00' } },
    })
    for (const once of ['no more than once per claim a day', 'at most once a day per claim'])
      expect(whole(`when a claim is created tell its owner, ${once}`).limits).toEqual({ spacing: { per: 'record', every: 'P1D' } })
    expect(whole('when a claim stays in review for more than 5 days tell me')).toMatchObject({ cue: { stays: 'P5D' }, conditions: { all: [{ op: 'is', value: 'In review' }] } })
  })

  test.each(['is not settled for 10 days', 'is not settled within 10 days', 'has not been settled for 10 days', 'is still not settled for 10 days'])(
    '%s is not its opposite',
    (words) => expect(whole(`when a claim ${words} tell me`)).toMatchObject({ cue: { stays: 'P10D' }, conditions: { all: [{ field: 'status', op: 'is not', value: 'Settled' }] } }),
  )
})

describe('turned round, what is done stands first', () => {
  test.each([
    ['email the owner when status becomes Settled and amount is over 500', 'when status becomes Settled and amount is over 500, email the owner'],
    ['tell me when a sailing is cancelled, quiet 22:00 to 07:00', 'when a sailing is cancelled, quiet 22:00 to 07:00, tell me'],
    ['please set due to tomorrow as soon as a claim is created', 'as soon as a claim is created set due to tomorrow'],
    ['email each owner their claims in review every Monday at 9', 'every Monday at 9 email each owner their claims in review'],
    ['email me all late sailings once a week at 8', 'once a week at 8 email me all late sailings'],
    ['email me every working day at 7 all late sailings', 'every working day at 7 email me all late sailings'],
    ['email each owner their claims in review every Monday at 9, quiet 22:00 to 07:00', 'every Monday at 9 email each owner their claims in review, quiet 22:00 to 07:00'],
    ['notify the channel Quays each time a sailing becomes Late', 'each time a sailing becomes Late, notify the channel Quays'],
  ])('%s', (turned, straight) => {
    const { name: _, ...is } = whole(straight)
    expect(whole(turned)).toMatchObject(is)
  })

  test('what is not understood is marked where it stands', () => {
    const text = 'email its ownner when a claim becomes Setled'
    expect(read(text).unread.map((u) => text.slice(u.from, u.to))).toEqual(expect.arrayContaining(['Setled']))
    for (const { from, to } of read(text).unread) expect(from).toBeLessThan(to)
  })

  test('words for an action without anything to wait for are none', () => {
    expect(read('email the owner').workflow).toBeNull()
    expect(read('send').workflow).toBeNull()
  })
})

describe('mail about records, by a timetable', () => {
  test.each([
    [
      'every Monday at 9, email each owner their claims in review',
      { cue: { cron: '0 9 * * 1', per: 'owner' }, conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] }, actions: [{ to: [{ field: 'owner' }] }] },
    ],
    [
      'every weekday at 7:30 email Rafi Demir all late sailings',
      { table: 'sailings', cue: { cron: '30 7 * * 1-5', per: 'all' }, conditions: { all: [{ field: 'status', op: 'is', value: 'Late' }] } },
    ],
    [
      'on the first of every month at 8:00 send the Directors a list of all claims where amount is over 1000, high priority, copy to me',
      { cue: { cron: '0 8 1 * *', per: 'all' }, actions: [{ to: [{ group: 'Directors' }], priority: 'high', cc: [{}] }] },
    ],
    ['every week, all claims in review, email me', { cue: { cron: '0 7 * * 1', per: 'all' } }],
  ])('%s', (text, is) => expect(whole(text)).toMatchObject(is))

  test('a day that comes without a change is said to, with what to say', () => {
    const text = 'when a claim is overdue, email its owner'
    expect(read(text).unread).toMatchObject([{ from: 13, to: 23, message: expect.stringContaining('every working day at 07:00 for each claim where due is before today') }])
    expect(whole('every working day at 07:00 for each claim where due is before today, email its owner').cue).toMatchObject({ per: 'record' })
  })
})

describe('figures, by their name and value', () => {
  const claims = INSTALLATION.schema.get('claims') as TableDef
  const open = {
    name: 'open_by_owner',
    definition: {
      rappel: 'figure/1',
      name: 'open_by_owner',
      label: 'Open claims',
      table: 'claims',
      of: { count: true },
      by: 'owner',
      thresholds: [{ name: 'too many', when: 'above', value: 1_800 }],
    },
    grouping: { field: claims.fields.find((f) => f.name === 'owner') },
    unit: 'number',
  }
  const measured = { ...INSTALLATION, schema: new Map([...INSTALLATION.schema, ['claims', { ...claims, figures: [open] } as never]]) }
  const cue = { kind: 'figure', figure: 'open_by_owner', threshold: 'too many' }

  test.each(['when open claims crosses too many', 'when the number of open claims goes above 1800', 'if open claims exceeds 1,800', 'when open claims is more than 1800'])(
    '%s',
    (when) => {
      const { workflow, unread } = wordsIn(`${when}, email the owner`, measured)
      expect({ unread, cue: workflow?.cue, actions: workflow?.actions }).toMatchObject({ unread: [], cue, actions: [{ to: [{ field: 'figure.group' }] }] })
    },
  )

  test('a value at which a figure has no threshold is marked, with those that it has', () => {
    expect(wordsIn('when open claims goes above 20 email me', measured).unread).toMatchObject([{ from: 28, to: 30, message: expect.stringContaining('too many (above 1,800)') }])
  })

  test('its groups, by a timetable or by hand', () => {
    for (const begin of ['every Monday at 8 for each owner of open claims', 'by hand, for each owner of open claims'])
      expect(wordsIn(`${begin}, email the owner`, measured)).toMatchObject({ unread: [], workflow: { table: 'claims', cue: { per: 'group', over: { figure: 'open_by_owner' } } } })
  })
})

test('what comes of a sentence is named after it, and says the facts', () => {
  const { name, actions } = whole('when a claim becomes Settled email its owner')
  expect(name).toBe('Claim becomes Settled')
  expect(actions[0]).toMatchObject({ subject: '{{ claim.number }} is {{ claim.status }}', format: 'rich' })
  expect(JSON.stringify(actions[0])).toMatch(/Dear \{\{ claim.owner.first_name.*Status: \{\{ before.status.* to \{\{ claim.status/)
})

describe('lines of a brief', () => {
  const claims: Workflow = { rappel: 'workflow/1', name: 'x', table: 'claims', cue: { kind: 'record', on: ['changed'] }, actions: [] }
  const line = (text: string, workflow = claims, pointer = '/actions/0') => {
    const { added, unread } = readLine(text, workflow, pointer, INSTALLATION)
    expect({ text, unread }).toEqual({ text, unread: [] })
    return added
  }
  test.each([
    ['status is New', { conditions: [{ field: 'status', op: 'is', value: 'New' }] }],
    ['in review for 5 days', { stays: 'P5D', conditions: [{ field: 'status', value: 'In review' }] }],
    ['stays so for 4 hours', { stays: 'PT4H', conditions: [] }],
    ['email its owner', { actions: [{ do: 'email', to: [{ field: 'owner' }] }] }],
    ['task for owner in 2 days', { actions: [{ do: 'task', owner: 'owner' }] }],
    ['set due to today', { actions: [{ set: { due: { today: 0 } } }] }],
    ['bring in tasks where done is no, at most 5, as open', { bringIn: [{ name: 'open', list: 'tasks', where: { field: 'done', op: 'is', value: false }, limit: 5 }] }],
    ['at most 200 a day', { limits: { perDay: 200 } }],
    ['every working day at 07:00', { cue: { kind: 'timetable', cron: '0 7 * * 1-5' } }],
  ])('%s', (text, is) => expect(line(text)).toMatchObject(is))

  test('inside a repetition its entry is meant', () => {
    const each: Workflow = { ...claims, table: 'sailings', actions: [{ name: 'each_1', do: 'each', of: 'bookings.sailing', as: 'booking', actions: [] }] }
    expect(line('email its passenger', each, '/actions/0/actions/0')).toMatchObject({ actions: [{ to: [{ field: 'booking.passenger.email' }] }] })
  })
})

describe('what is not understood', () => {
  test('is marked at the word, with what could stand there', () => {
    const text = 'when a claim becomes Setled email its owner'
    const { unread } = read(text)
    expect(unread.map((u) => text.slice(u.from, u.to))).toEqual(['Setled'])
  })

  test('a word that begins one is completed by the installation’s own words', () => {
    expect(read('when a claim becomes Set').completions).toMatchObject({ from: 21, words: ['Settled'] })
    expect(read('when a cla').completions.words).toContain('claim')
    expect(read('when a claim is created email Oon').completions.words).toContain('Oona Brisk')
  })

  test('two ways are offered, and neither is taken silently', () => {
    expect(read('when a claim is over 500 tell me').readings?.map((w) => w.words)).toEqual(['amount', 'offer'])
    const { readings } = read('when a claim’s kind is Refund and amount is over 5 or offer is over 5 tell me')
    expect(readings?.map((w) => w.workflow?.conditions)).toMatchObject([{ any: [{ all: [{}, {}] }, {}] }, { all: [{}, { any: [{}, {}] }] }])
  })

  test('two tables that are named alike, and a field that is named as an operator is', () => {
    const table = (name: string, more: Partial<TableDef> = {}): TableDef => ({
      name,
      label: 'Orders',
      singular: 'order',
      titleField: 'no',
      fields: [{ name: 'no', label: 'No', type: 'text' }],
      ...more,
    })
    const twice = { ...INSTALLATION, schema: new Map([...INSTALLATION.schema, ['a', table('a')], ['b', table('b')]]) }
    expect(wordsIn('when an order is created tell me', twice).readings?.map((w) => w.workflow?.table)).toEqual(['a', 'b'])
    const odd = {
      ...INSTALLATION,
      schema: new Map([
        [
          'odd',
          table('odd', {
            label: 'Odds',
            singular: 'odd',
            fields: [
              { name: 'no', label: 'Contains', type: 'text' },
              { name: 'is', label: 'Is', type: 'number' },
            ],
          }),
        ],
      ]),
    }
    expect(wordsIn('when an odd’s is is over 5 and contains contains x tell me', odd)).toMatchObject({
      unread: [],
      workflow: {
        conditions: {
          all: [
            { field: 'is', op: 'more than', value: 5 },
            { field: 'no', op: 'contains', value: 'x' },
          ],
        },
      },
    })
  })

  test.each([
    ['another language', 'wenn eine Forderung erledigt wird, schreibe dem Eigentümer'],
    ['letters that look alike', 'when a сlaim is сreated email its оwner'],
    ['right to left', 'when a claim \u202e becomes Settled \u202c عندما email its owner'],
    ['placeholders and quotes', 'when a claim “is {{ created }} "email\\" `its owner'],
    ['nothing but signs', '()();;,,..’’““'],
  ])('%s: is marked or offered, and makes no workflow of its own', (_, text) => {
    const { workflow, unread } = read(text)
    expect(unread.length).toBeGreaterThan(0)
    for (const mark of unread) expect(mark.to).toBeGreaterThan(mark.from)
    for (const action of workflow?.actions ?? []) expect([[], [{ field: 'owner' }]]).toContainEqual('to' in action ? action.to : null) // what is said, or nobody
  })

  test('of 5,000 characters all are looked at, of more the rest is marked', () => {
    const long = `when a claim becomes Settled email ${'its owner and '.repeat(2_000)}`
    const { unread } = read(long)
    expect(unread.at(-1)).toMatchObject({ to: long.length })
    expect(read(long.slice(0, MOST_READ)).workflow?.actions.length).toBe(1)
  })

  test('nothing that is typed fails, or is read for long', () => {
    const words = fc.constantFrom(
      'when',
      'a',
      'claim',
      'is',
      'not',
      'its',
      'owner’s',
      'email',
      'and',
      'or',
      '(',
      ')',
      'for each',
      'booking',
      'of',
      'the',
      'over',
      '500',
      '£',
      '“',
      '”',
      '{{',
      'set',
      'to',
      'if',
      'otherwise',
      'neither',
      'nor',
      '=',
      '`',
      '1e9',
      'every',
      '07:00',
      ',',
      ';',
      'becomes',
      'Settled',
    )
    fc.assert(
      fc.property(
        fc.oneof(
          fc.array(words, { maxLength: 400 }).map((w) => w.join(' ')),
          fc.string({ unit: 'grapheme', maxLength: 300 }),
        ),
        (text) => {
          for (const mark of read(text).unread) expect(mark.from).toBeLessThanOrEqual(text.length)
        },
      ),
      { numRuns: 300 },
    )
  })
})

test('reading takes a few milliseconds, whatever workflow words are read beside', () => {
  const [workflow] = fc.sample(anyWorkflow, 1)
  expect(workflow && readLine('email its owner', workflow, '/actions/9999', INSTALLATION)).toBeDefined()
})
