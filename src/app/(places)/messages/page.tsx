import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool, replica } from '@/app/_server/environment'
import { listMessages } from '@/store/messages'
import { readSettings } from '@/store/settings'
import { listWorkflows } from '@/store/workflows'
import { MessageLog } from '@/ui/messages/log'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Messages' }

const PAGE = 100

/** All mail, the newest first; search and filters live in the address. */
export default async function Messages({ searchParams }: { searchParams: Promise<Record<string, string | undefined>> }) {
  await visitor('PAGE /messages')
  const { text, state, workflow, after } = await searchParams
  const [messages, workflows, settings] = await Promise.all([
    replica().readNow((db) => listMessages(db, { text, state, workflow, after: after ? Number(after) || undefined : undefined, limit: PAGE })),
    listWorkflows(pool()),
    readSettings(pool()),
  ])
  return (
    <Page>
      <Title
        actions={
          <>
            <Link href="/notices">Notices</Link>
            <Link href="/runs">Runs</Link>
          </>
        }
      >
        Messages
      </Title>
      <p className="text-muted">All mail as it was queued, sent or failed, the newest first.</p>
      <MessageLog
        messages={messages}
        next={messages.length === PAGE ? (messages[messages.length - 1]?.id ?? null) : null}
        workflows={workflows.map((w) => w.name)}
        asked={{ text, state, workflow }}
        locale={settings.locale}
        zone={settings.zone}
      />
    </Page>
  )
}
