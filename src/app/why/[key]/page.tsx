import type { Metadata } from 'next'
import { pool } from '@/app/_server/environment'
import { briefOf } from '@/core/workflow/brief'
import { readReviewSetting } from '@/engine/program'
import { openWhyKey } from '@/engine/why-key'
import { readOrigin } from '@/store/messages'
import { readTitles } from '@/store/records'
import { readSettings, whySecret } from '@/store/settings'
import { NoOrigin, WhyYouGotThis } from '@/ui/why/why-you-got-this'

export const metadata: Metadata = { title: 'Why you got this', robots: { index: false } }

/** What the link at the end of a mail leads to: why it was sent to whoever has it. Anyone with the mail may look; people outside see nothing of the record. */
export default async function WhyPage({ params }: { params: Promise<{ key: string }> }) {
  const settings = await readSettings(pool())
  const messageId = openWhyKey(decodeURIComponent((await params).key), await whySecret(pool()))
  const origin = messageId ? await readOrigin(pool(), messageId) : null
  if (!origin) return <NoOrigin organisation={settings.name} />
  const setting = await readReviewSetting(pool())
  const table = setting.schema.get(origin.trace ? origin.document.table : '')
  if (!table) return <NoOrigin organisation={settings.name} />
  const { before, after } = origin.trace.change
  const titles = await readTitles(pool(), setting.schema, table, [before ?? {}, after ?? {}])
  return (
    <WhyYouGotThis
      origin={origin}
      isInside={origin.recipients.every((r) => r.inside)}
      lines={briefOf(origin.document, setting)}
      table={table}
      wording={setting}
      titles={titles}
      organisation={settings}
    />
  )
}
