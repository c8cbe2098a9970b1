import type { Marks } from '@/core/propose/candidates'
import { type Proposed, propose } from '@/core/propose/propose'
import { marksFor, type ruleWithPast } from './past'

/** What came of marking by a rule, and of answering questions by it. */
export interface Asked {
  readonly isFound: boolean
  readonly questions: number
  /** After how many questions one proposal was left; undefined where several were to the end. */
  readonly untilOne: number | undefined
  readonly proposed: Proposed
}

/** Marks so many changes by a rule and as many others, and answers at most so many questions by it; `agrees` is told of every proposal on the way. */
export function asked(
  { draw, observed, rule, fires }: ReturnType<typeof ruleWithPast>,
  marked: number,
  mostQuestions: number,
  agrees: (fires: readonly number[], marks: Marks) => void,
): Asked {
  const is = new Set(fires)
  let marks = marksFor(draw, observed, rule, fires, marked)
  let untilOne: number | undefined
  for (let questions = 0; ; questions++) {
    const proposed = propose(observed, marks)
    if (proposed.proposals.length === 1) untilOne ??= questions
    for (const proposal of proposed.proposals) agrees(proposal.fires, marks)
    const { ask } = proposed
    if (ask === null || questions === mostQuestions) return { isFound: JSON.stringify(proposed.proposals[0]?.fires) === JSON.stringify(fires), questions, untilOne, proposed }
    marks = is.has(ask) ? { ...marks, yes: [...marks.yes, ask] } : { ...marks, no: [...marks.no, ask] }
  }
}
