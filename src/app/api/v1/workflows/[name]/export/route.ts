import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf } from '@/app/_server/workflows'
import { exportWorkflow } from '@/core/document/exchange'
import { briefText } from '@/core/words/text/write'
import { readInstallation } from '@/engine/installation'

/** The draft as a file: JSON, YAML, or its brief as text, by `?format=`. */
export const GET = route('GET /api/v1/workflows/[name]/export', async ({ actor, params, query }) => {
  const { name, draft } = await rowOf(actor, params.name)
  const asked = query.get('format') ?? query.get('as')
  if (asked === 'text') {
    const file = encodeURIComponent(`${name}.txt`)
    return new Response(briefText(draft, await readInstallation(pool(), null)), {
      headers: { 'content-type': 'text/plain; charset=utf-8', 'content-disposition': `attachment; filename="workflow.txt"; filename*=UTF-8''${file}` },
    })
  }
  const as = asked === 'yaml' ? 'yaml' : 'json'
  const file = encodeURIComponent(`${name}.${as}`)
  return new Response(exportWorkflow(draft, as), {
    headers: { 'content-type': as === 'yaml' ? 'application/yaml' : 'application/json', 'content-disposition': `attachment; filename="workflow.${as}"; filename*=UTF-8''${file}` },
  })
})
