import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { typeOf } from '@/app/_server/client-types'
import { baseUrl } from '@/app/_server/environment'
import { openApi } from '@/app/_server/openapi'
import { ApiPage, type ShownCall } from '@/ui/settings/api-page'

export const metadata: Metadata = { title: 'API' }

/** The API's description, as a page. */
export default async function ApiDescription() {
  await visitor('PAGE /settings/api')
  const described = openApi(baseUrl())
  const calls = Object.entries(described.paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, { summary, description, parameters, requestBody }]): ShownCall => {
      const body = requestBody?.content['application/json']
      const filled = path.replaceAll(/\{(\w+)\}/g, (whole, name) => encodeURIComponent(parameters.find((p) => p.name === name)?.example ?? whole))
      return {
        method: method.toUpperCase(),
        path,
        summary,
        who: description ?? 'No token needed.',
        headers: parameters.filter((p) => p.in === 'header').map((p) => p.name),
        body: body ? typeOf(body.schema) : null,
        example: body?.example ? { path: filled, body: JSON.stringify(body.example, null, 2) } : null,
      }
    }),
  )
  const documents = Object.entries(described.components.schemas).map(([name, schema]) => ({ name, type: typeOf(schema), note: schema.description ?? '' }))
  return <ApiPage base={`${baseUrl()}/api/v1`} calls={calls} documents={documents} />
}
