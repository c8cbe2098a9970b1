import { route } from '@/app/_server/route'
import { rowOf } from '@/app/_server/workflows'
import { exportWorkflow } from '@/core/document/exchange'

/** The draft as a file: JSON, or YAML with `?as=yaml`. */
export const GET = route('GET /api/v1/workflows/[name]/export', async ({ actor, params, query }) => {
  const { name, draft } = await rowOf(actor, params.name)
  const as = query.get('as') === 'yaml' ? 'yaml' : 'json'
  const file = encodeURIComponent(`${name}.${as}`)
  return new Response(exportWorkflow(draft, as), {
    headers: { 'content-type': as === 'yaml' ? 'application/yaml' : 'application/json', 'content-disposition': `attachment; filename="workflow.${as}"; filename*=UTF-8''${file}` },
  })
})
