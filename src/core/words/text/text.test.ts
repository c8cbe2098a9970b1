import { WORKFLOWS } from '@/demo/workflows'
import { BY_CLOCK } from '@/demo/workflows-by-clock'
import { LIMITED } from '@/demo/workflows-limited'
import { INSTALLATION } from '../../../../tests/support/workflows'
import type { Workflow } from '../../document/document'
import { readBriefText } from './read'
import { briefText } from './write'

describe.each([...WORKFLOWS, ...BY_CLOCK, ...LIMITED].map(({ workflow }) => [workflow.name, workflow] as const))('%s', (_, workflow) => {
  const text = briefText(workflow, INSTALLATION)

  test('comes back as it was', () => {
    expect(readBriefText(text, INSTALLATION)).toEqual({ workflow, unread: [] })
  })

  test('is said in words alone, figures and questions aside', () => {
    if (workflow.cue.kind !== 'figure') expect(text).not.toMatch(/exactly:/)
  })
})

test('a workflow of a table that is gone, which has no lines, is given whole', () => {
  const gone: Workflow = {
    rappel: 'workflow/1',
    name: 'Gone',
    table: 'nowhere',
    cue: { kind: 'record', on: ['created'] },
    conditions: { field: 'x', op: 'is', value: 1 },
    actions: [],
  }
  const text = briefText(gone, INSTALLATION)
  expect(text).toMatch(/^exactly: /m)
  expect(readBriefText(text, INSTALLATION).workflow).toEqual(gone)
})

test('a brief that was written by hand, without numbers, is read by how far its lines stand in', () => {
  const text = `Workflow: Late boats
CUE a sailing is changed
BECOMES all of these hold
  status is Late
  any of these holds
    booked is at least 40
    minutes late is more than 30
EACH booking, where it is paid
  EMAIL the booking’s passenger
      subject: Late
      text: |
        Dear passenger,

        your boat is late.
LIMIT at most 200 a day
`
  expect(readBriefText(text, INSTALLATION)).toMatchObject({
    unread: [],
    workflow: {
      conditions: { all: [{ value: 'Late' }, { any: [{ op: 'at least' }, { field: 'minutes_late' }] }] },
      actions: [
        {
          do: 'each',
          of: 'bookings.sailing',
          where: { field: 'paid', op: 'is', value: true },
          actions: [{ to: [{ field: 'booking.passenger.email' }], body: 'Dear passenger,\n\nyour boat is late.' }],
        },
      ],
      limits: { perDay: 200 },
    },
  })
})

test('lines that are not understood are marked where they stand, and the others are read', () => {
  const text = 'Workflow: Odd\n1 CUE a claim is created\n2 WHERE all of these hold\n  2.1 status is Nwe\n3 EMAIL its owner\n4 FROB it\n'
  const { workflow, unread } = readBriefText(text, INSTALLATION)
  expect(workflow?.actions).toMatchObject([{ do: 'email', to: [{ field: 'owner' }] }])
  expect(unread.map((u) => text.slice(u.from, u.to))).toEqual(['Nwe', 'FROB it'])
})
