import type { Metadata } from 'next'
import { type Actor, visitorIfAny } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { briefOf } from '@/core/words/brief'
import { readWording } from '@/engine/program'
import { openWhyKey } from '@/engine/why-key'
import { signingSecret } from '@/store/access/secrets'
import { type Origin, readOrigin } from '@/store/messages'
import { readTitles } from '@/store/records'
import { readSettings } from '@/store/settings'
import { NoOrigin, WhyYouGotThis } from '@/ui/why/why-you-got-this'

const DAY_MS = 86_400_000

/** Whether values of the record are shown: not to people outside, and after some days only to whoever is signed in and got the mail, or may see all mail. */
function valuesFor(origin: Origin, actor: Actor | null, days: number): 'shown' | 'not for outside' | 'sign in' {
  if (!origin.recipients.every((r) => r.inside)) return 'not for outside'
  if (Date.now() - origin.created_at.getTime() < days * DAY_MS) return 'shown'
  const isTheirs = actor && (actor.role !== 'member' || origin.recipients.some((r) => r.address.toLowerCase() === actor.email?.toLowerCase()))
  return isTheirs ? 'shown' : 'sign in'
}

export const metadata: Metadata = { title: 'Why you got this', robots: { index: false } }

/** What the link at the end of a mail leads to: why it was sent to whoever has it. Anyone with the mail may look; people outside see nothing of the record, and after some days values want a sign-in. */
export default async function WhyPage({ params }: { params: Promise<{ key: string }> }) {
  const settings = await readSettings(pool())
  const messageId = openWhyKey(decodeURIComponent((await params).key), await signingSecret(pool(), 'why'))
  const origin = messageId ? await readOrigin(pool(), messageId) : null
  if (!origin) return <NoOrigin organisation={settings.name} />
  const setting = await readWording(pool())
  const table = setting.schema.get(origin.trace ? origin.document.table : '')
  if (!table) return <NoOrigin organisation={settings.name} />
  const { before = null, after = null } = origin.trace.change ?? {}
  const titles = await readTitles(pool(), setting.schema, table, [before ?? {}, after ?? {}])
  return (
    <WhyYouGotThis
      origin={origin}
      values={valuesFor(origin, await visitorIfAny(), settings.whyDays)}
      lines={briefOf(origin.document, setting)}
      table={table}
      wording={setting}
      titles={titles}
      organisation={settings}
    />
  )
}
