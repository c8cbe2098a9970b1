import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool, replica } from '@/app/_server/environment'
import { listNotices } from '@/store/notice-log'
import { readSettings } from '@/store/settings'
import { listWorkflows } from '@/store/workflows'
import { NoticeLog } from '@/ui/notices/log'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Notices' }

const PAGE = 100

/** Notices to channels and to people, the newest first; members see those to themselves. Search and filters live in the address. */
export default async function Notices({ searchParams }: { searchParams: Promise<Record<string, string | undefined>> }) {
  const actor = await visitor('PAGE /notices')
  const { text, state, workflow, mine, unread, after } = await searchParams
  const seesAll = actor.role !== 'member'
  const asked = {
    me: actor.person,
    text,
    state,
    workflow,
    mine: !seesAll || mine === 'true',
    unread: unread === 'true',
    after: after ? Number(after) || undefined : undefined,
    limit: PAGE,
  }
  const [notices, workflows, settings] = await Promise.all([replica().readNow((db) => listNotices(db, asked)), seesAll ? listWorkflows(pool()) : [], readSettings(pool())])
  return (
    <Page>
      <Title
        actions={
          <>
            {mayUse(actor.role, 'PAGE /messages') && <Link href="/messages">Messages</Link>}
            <Link href="/runs">Runs</Link>
          </>
        }
      >
        Notices
      </Title>
      <p className="text-muted">{seesAll ? 'Short posts to channels, and to people here, the newest first.' : 'Short posts to you, the newest first.'}</p>
      <NoticeLog
        notices={notices}
        next={notices.length === PAGE ? (notices[notices.length - 1]?.id ?? null) : null}
        workflows={workflows.map((w) => w.name)}
        asked={{ text, state, workflow, mine, unread }}
        seesAll={seesAll}
        locale={settings.locale}
        zone={settings.zone}
      />
    </Page>
  )
}
