import type { Workflow } from '@/core/document/document'
import type { Finding } from '@/core/review/review'
import type { ExampleAnswer } from '@/engine/answers/lines'
import { apart } from './environment'
import { Problem } from './problem'

/** How the examples of a workflow fare; where its review has errors none can be run, which each then says. */
export async function examplesOf(workflow: Workflow, findings: readonly Finding[]): Promise<ExampleAnswer[]> {
  const { examples = [] } = workflow
  if (examples.length === 0) return []
  const isFaulty = findings.some((f) => f.level === 'error')
  if (isFaulty) return examples.map(({ name }) => ({ name, passes: false, shortfalls: ['It cannot be run before what is to mend is mended.'] }))
  return (await apart().run('examples', { workflow })).map(({ name, passes, shortfalls }) => ({ name, passes, shortfalls }))
}

/** The examples of a workflow that fail, as warnings. */
export async function failingExamples(workflow: Workflow, findings: readonly Finding[]): Promise<Finding[]> {
  return (await examplesOf(workflow, findings)).flatMap(({ name, passes, shortfalls }, i): Finding[] =>
    passes ? [] : [{ level: 'warning', code: 'failing example', path: `/examples/${i}`, message: `The example “${name}” fails: ${shortfalls.join(' ')}` }],
  )
}

/**
 * Lets nothing go live of which an example fails, unless it is said why that does not matter; answers that reason, null where none was needed.
 * @throws Problem 409 with the examples as warnings
 */
export async function requireExamples(workflow: Workflow, findings: readonly Finding[], overrule: string | null): Promise<string | null> {
  const review = await failingExamples(workflow, findings)
  if (review.length === 0) return null
  if (overrule) return overrule
  throw new Problem(409, 'Conflict', 'Examples fail. Mend the workflow or the examples, or send { "overrule": "why it may go live all the same" }.', { review })
}
