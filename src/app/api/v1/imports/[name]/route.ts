import { fileOf, quietOf } from '@/app/_server/bulk'
import { pool } from '@/app/_server/environment'
import { fileName } from '@/app/_server/files'
import { importUpload } from '@/app/_server/import-upload'
import { Problem } from '@/app/_server/problem'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { IMPORT_NAME } from '@/core/bulk/named'
import { putImport, removeImport } from '@/store/bulk/imports'

const namedImport = (name: string) => STATES['/api/v1/imports/[name]']({ name })

export const GET = route('GET /api/v1/imports/[name]', ({ params }) => namedImport(params.name))

/** Keeps how a file is imported under a name. */
export const PUT = route('PUT /api/v1/imports/[name]', async ({ actor, params, body }) => {
  const { table: of, quiet, columns, ...given } = await body()
  if (!IMPORT_NAME.test(params.name))
    throw new Problem(422, 'Not valid', 'An import’s name is made of letters, digits, spaces, dots, hyphens and underscores, at most 80: it is a folder’s too.')
  const { table } = await tableOf(of)
  const query = new URLSearchParams({ columns: JSON.stringify(columns) })
  for (const [name, value] of Object.entries(given)) if (value !== null && value !== undefined) query.set(name, String(value))
  const { ways = {}, columns: known = {}, ...rest } = fileOf(table, query)
  await putImport(pool(), { name: params.name, table: table.name, ...rest, columns: known, ways, quiet: quietOf(actor, quiet) }, actor.person)
  return namedImport(params.name)
})

/** Runs an import again, with the file as the body. */
export const POST = route('POST /api/v1/imports/[name]', async ({ actor, params, query, request, inTurn }) => {
  const { name, table, quiet, ...asked } = await namedImport(params.name)
  const file = fileName(query.get('name'))
  return importUpload({ actor, request, inTurn }, (await tableOf(table)).table, asked, { name: file ? `${name}: ${file}` : name, quiet: quietOf(actor, quiet) })
})

/** Forgets an import; what it wrote stays. */
export const DELETE = route('DELETE /api/v1/imports/[name]', async ({ params }) => {
  if (!(await removeImport(pool(), params.name))) throw new Problem(404, 'Not found', `There is no import called ${JSON.stringify(params.name)}.`)
  return new Response(null, { status: 204 })
})
