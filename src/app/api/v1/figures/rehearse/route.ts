import { apart } from '@/app/_server/environment'
import { figureOf, shownPoints } from '@/app/_server/figures'
import { route } from '@/app/_server/route'
import { exactly } from '@/core/figures/crossing'

/** What a draft of a figure went through, worked out from the log, and how many alerts a threshold at each height would have given. */
export const POST = route('POST /api/v1/figures/rehearse', async ({ body, inTurn, request }) => {
  const { figure: given, days = 90 } = await body()
  const figure = await figureOf(given)
  const to = new Date()
  const span = { from: new Date(to.getTime() - days * 86_400_000), to }
  const { lines, crossings, ...past } = await inTurn(() => apart().run('figure past', { figure, span, group: null }, { signal: request.signal }))
  return {
    ...past,
    lines: lines.map(({ points, limits, ...line }) => ({
      ...line,
      points: shownPoints(points),
      limits: Object.fromEntries(Object.entries(limits).map(([name, own]) => [name, shownPoints(own)])),
    })),
    crossings: crossings.map((c) => ({ ...c, before: exactly(c.before), value: exactly(c.value) })),
  }
})
