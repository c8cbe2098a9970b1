import { apart, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { MAX_JSON, readText, route } from '@/app/_server/route'
import { findingsOf } from '@/app/_server/workflows'
import { freeName } from '@/core/document/exchange'
import { transaction } from '@/store/database'
import { listWorkflows, saveDraft } from '@/store/workflows'

/** Reads a workflow from JSON or YAML and keeps it as a draft under a name that is free; says what it names that is not here. */
export const POST = route('POST /api/v1/workflows/import', async ({ actor, request, keeper, inTurn }) => {
  const read = await inTurn(async () => apart().run('import', { text: await readText(request, MAX_JSON) }))
  if ('problems' in read) throw new Problem(422, 'Not valid', 'This is not a workflow that can be read.', { problems: read.problems.map((p) => ({ code: 'wrong shape', ...p })) })
  const name = freeName(read.workflow.name, new Set((await listWorkflows(pool())).map((w) => w.name)))
  const workflow = { ...read.workflow, name }
  const row = await transaction(pool(), (db) => saveDraft(db, name, workflow, actor.person, { keeper }))
  return Response.json({ name, review: await findingsOf(workflow, row.keeper_email) }, { status: 201 })
})
