import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { rehearsed } from '@/app/_server/rehearsals'
import { route } from '@/app/_server/route'
import { findingsOf, rowOf } from '@/app/_server/workflows'
import { halving, limitsToTry, type Offer, type Offers } from '@/core/limits/offers'
import { LIMIT_PARTS, limitWords } from '@/core/limits/words'
import { spanOfDays } from '@/engine/evidence'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'

const DAYS = 30

/** Works out by rehearsal what a live workflow would have sent to an address in the last 30 days, and what it would have with each limit that lessens that. Nothing is changed. */
export const POST = route('POST /api/v1/people/[email]/offers', async ({ actor, params, body, inTurn, request }): Promise<Offers> => {
  const { workflow: name } = await body()
  const row = await rowOf(actor, name)
  if (!row.live) throw new Problem(422, 'Not valid', 'Give workflow, the name of one that is live or paused.')
  const live = { ...row.live, name: row.name }
  if (live.cue.kind === 'by hand') throw new Problem(422, 'Not valid', 'It is run by hand, so its mail cannot be worked out beforehand.')
  const address = params.email.toLowerCase()
  const [findings, settings, schema, span] = await Promise.all([findingsOf(live, row.keeper_email), readSettings(pool()), readSchema(pool()), spanOfDays(pool(), DAYS)])
  const noun = (schema.get(live.table)?.singular ?? 'record').replaceAll('_', ' ')
  const sent = async (workflow: typeof live) => {
    const options = { span, samples: 0, live: null, signal: request.signal }
    const { byRecipient, messages } = await inTurn(() => rehearsed(workflow, findings, DAYS, options))
    return { messages: byRecipient.find((r) => r.address === address)?.messages ?? 0, all: messages }
  }
  const now = await sent(live)
  const offers: Offer[] = []
  for (const limits of limitsToTry(live, settings)) {
    const words = LIMIT_PARTS.map((part) => limitWords(part, limits, noun)).join('')
    offers.push({ limits, words, ...(await sent({ ...live, limits: { ...live.limits, ...limits } })) })
  }
  return { ...now, offers, halves: halving(now.messages, offers) }
})
