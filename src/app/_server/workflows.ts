import { sizeOf } from '@/core/document/bounds'
import type { Workflow } from '@/core/document/document'
import { readWorkflow } from '@/core/document/schema'
import type { Finding } from '@/core/review/review'
import { readSurroundings } from '@/engine/program'
import { readWorkflowRow, type WorkflowRow } from '@/store/workflows'
import { keeperFor } from './access'
import type { Actor } from './actor'
import { apart, baseUrl, pool } from './environment'
import { Problem } from './problem'

/** Conditions and actions from which on a document is read apart, since that takes its time. */
const LARGE = 30

/** Reads a workflow document from a body. @throws Problem 422 with every breach of its shape */
export async function workflowOf(input: unknown): Promise<Workflow> {
  const { problem, clauses, actions } = sizeOf(input)
  const read = problem ? { problems: [problem] } : clauses + actions > LARGE ? await apart().run('read', { input }) : readWorkflow(input)
  if ('problems' in read) throw new Problem(422, 'Not valid', 'This is not a workflow document.', { problems: read.problems.map((p) => ({ code: 'wrong shape', ...p })) })
  return read.workflow
}

/** A workflow that somebody may see, or null. */
export async function visibleRow(actor: Actor, name: string): Promise<WorkflowRow | null> {
  const row = await readWorkflowRow(pool(), name)
  const keeper = keeperFor('GET /api/v1/workflows/[name]', actor)
  return keeper === null || row?.keeper === keeper ? row : null
}

/** The workflow of a path. @throws Problem 404, also for a member whose own it is not */
export async function rowOf(actor: Actor, name: string): Promise<WorkflowRow> {
  const row = await visibleRow(actor, name)
  if (!row) throw new Problem(404, 'Not found', `There is no workflow called ${JSON.stringify(name)}.`)
  return row
}

/** The moment in an If-Match header (RFC 9110 section 13.1.1); null where there is none. @throws Problem 400 where it is not one */
export function seenAt(request: Request): Date | null {
  const header = request.headers.get('if-match')
  if (header === null) return null
  const at = new Date(header.replaceAll('"', ''))
  if (Number.isNaN(at.getTime())) throw new Problem(400, 'Bad If-Match', 'If-Match holds the savedAt of the draft that was edited, in quotes.')
  return at
}

/**
 * The findings about a workflow, as things stand; `onlyTo` is the one address that it may write to, where it is a member's own; `was` the name
 * that it is saved under, where that is about to change.
 */
export function findingsOf(workflow: Workflow, onlyTo: string | null, was?: string): Promise<Finding[]> {
  return apart().run('review', { workflow, onlyTo, was })
}

/** The name that a draft is saved under, where a body says it. */
export function savedUnder(body: Readonly<Record<string, unknown>>): string | undefined {
  return typeof body.was === 'string' ? body.was : undefined
}

/** The one address that a workflow edited by somebody may write to: a member's own, else its keeper's where it has one. */
export async function onlyAddress(actor: Actor, name: string): Promise<string | null> {
  return actor.role === 'member' ? (actor.email ?? '') : ((await readWorkflowRow(pool(), name))?.keeper_email ?? null)
}

/** Refuses a workflow that cannot run; answers the findings about one that can. @throws Problem with the findings */
export async function requireRunnable(workflow: Workflow, onlyTo: string | null, status: 409 | 422): Promise<Finding[]> {
  const findings = await findingsOf(workflow, onlyTo)
  if (findings.some((f) => f.level === 'error'))
    throw new Problem(status, status === 409 ? 'Conflict' : 'Not valid', 'The workflow cannot run yet. The review says what to mend.', { review: findings })
  return findings
}

/** What workflows are evaluated in, as things stand. */
export function surroundings() {
  return readSurroundings(pool(), baseUrl())
}
