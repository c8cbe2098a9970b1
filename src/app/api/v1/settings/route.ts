import { baseUrl, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { digestProblem } from '@/core/limits/digest-mail'
import { createEngines } from '@/core/message/render'
import { changeSettings } from '@/engine/change-settings'
import { readSettings } from '@/store/settings'

export const GET = route('GET /api/v1/settings', () => readSettings(pool()))

/** Changes the settings that are given; the others stay. */
export const PUT = route('PUT /api/v1/settings', async ({ body }) => {
  const given = await body()
  if (Object.keys(given).length === 0)
    throw new Problem(
      422,
      'Not valid',
      'Give at least one of name, locale, zone, currency, sender, sendingDomains, whyFooter, whyDays, keepMonths, keepRunMonths, keepTextMonths, idleMinutes, mailPerDay, mailPerHour, quietHours, digestAt and digestWords.',
    )
  const problem = given.digestWords ? digestProblem(given.digestWords, createEngines(await readSettings(pool()))) : null
  if (problem) throw new Problem(422, 'Not valid', `The words of digests do not go: ${problem}`, { problems: [{ code: 'wrong words', path: '/digestWords', message: problem }] })
  await changeSettings(pool(), given, baseUrl())
  return readSettings(pool())
})
