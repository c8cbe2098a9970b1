import { deepStrictEqual } from 'node:assert'
import fc from 'fast-check'
import { isSame } from '@/core/words/text/details'
import { readBriefText } from '@/core/words/text/read'
import { writtenOut } from '@/core/words/text/write'
import { anyWorkflow, INSTALLATION } from '../support/workflows'

/** A program that writes so many workflows of every kind as text and reads them: what comes back are the same documents, or it ends with how they differ. */
fc.assert(
  fc.property(anyWorkflow, (workflow) => {
    const { workflow: read } = readBriefText(writtenOut(workflow, INSTALLATION), INSTALLATION)
    if (!isSame(read, workflow)) deepStrictEqual(read, workflow) // which says how they differ
  }),
  { numRuns: Number(process.argv[2]) },
)
