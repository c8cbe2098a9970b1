import fc from 'fast-check'
import { readWorkflow } from '@/core/document/schema'
import { WORKFLOWS } from '@/demo/workflows'
import { BY_CLOCK } from '@/demo/workflows-by-clock'
import { LIMITED } from '@/demo/workflows-limited'
import { anyWorkflow, INSTALLATION } from '../../../../tests/support/workflows'
import { isSame } from './details'
import { readBriefText } from './read'
import { briefText } from './write'

test('10,000 workflows of every kind, written as text and read, are the same documents', () => {
  fc.assert(
    fc.property(anyWorkflow, (workflow) => {
      if ('problems' in readWorkflow(workflow)) return // a name that has only white space, say
      const text = briefText(workflow, INSTALLATION)
      expect(text).not.toMatch(/^exactly:/m) // its lines say it all: the whole document was not needed
      const read = readBriefText(text, INSTALLATION).workflow
      if (!isSame(read, workflow)) expect(read).toEqual(workflow) // which says how they differ
    }),
    { numRuns: 10_000 },
  )
}, 300_000)

describe.each([...WORKFLOWS, ...BY_CLOCK, ...LIMITED].map(({ workflow }) => [workflow.name, workflow] as const))('%s', (_, workflow) => {
  const text = briefText(workflow, INSTALLATION)

  test('comes back as it was', () => {
    expect(readBriefText(text, INSTALLATION)).toEqual({ workflow, unread: [] })
  })

  test('is said in words alone, figures and questions aside', () => {
    if (workflow.cue.kind !== 'figure') expect(text).not.toMatch(/exactly:/)
  })
})
