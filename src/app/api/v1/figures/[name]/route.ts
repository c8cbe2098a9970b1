import { apart, now, pool } from '@/app/_server/environment'
import { figureOf, figureRowOf, shownFigure } from '@/app/_server/figures'
import { inUse } from '@/app/_server/in-use'
import { route } from '@/app/_server/route'
import { refuseInUse } from '@/app/_server/uses'
import { surroundings } from '@/app/_server/workflows'
import { deleteFigure, putFigure } from '@/store/figures/definitions'

export const GET = route('GET /api/v1/figures/[name]', async ({ params }) => shownFigure(await figureRowOf(params.name)))

/** Makes a figure, or changes one; what it is put together from is worked out over its table at once. 409 with the live workflows that could not do what they say any more, unless `anyway`. */
export const PUT = route('PUT /api/v1/figures/[name]', async ({ params, query, body }) => {
  const figure = await figureOf(await body(), params.name)
  const broken = query.get('anyway') === 'true' ? [] : await apart().run('breaks by figure', { figure })
  if (broken.length) throw inUse('As it would be, it is not what is needed', 'It is saved all the same with `anyway`.', broken)
  return shownFigure(await putFigure(pool(), figure, await surroundings(), await now()))
})

export const DELETE = route('DELETE /api/v1/figures/[name]', async ({ params }) => {
  await refuseInUse('figure', params.name)
  await deleteFigure(pool(), params.name)
  return new Response(null, { status: 204 })
})
