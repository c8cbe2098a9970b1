import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf } from '@/app/_server/workflows'
import { exportWorkflow } from '@/core/document/exchange'
import { briefText } from '@/core/words/text/write'
import { readInstallation } from '@/engine/installation'

const TYPES = { json: 'application/json', yaml: 'application/yaml', txt: 'text/plain; charset=utf-8' }

/** The draft as a file: JSON, YAML, or its brief as text, by `?format=`. */
export const GET = route('GET /api/v1/workflows/[name]/export', async ({ actor, params, query }) => {
  const { name, draft } = await rowOf(actor, params.name)
  const asked = query.get('format') ?? query.get('as')
  const as = asked === 'text' ? 'txt' : asked === 'yaml' ? 'yaml' : 'json'
  const text = as === 'txt' ? briefText(draft, await readInstallation(pool(), null)) : exportWorkflow(draft, as)
  const file = encodeURIComponent(`${name}.${as}`)
  return new Response(text, { headers: { 'content-type': TYPES[as], 'content-disposition': `attachment; filename="workflow.${as}"; filename*=UTF-8''${file}` } })
})
