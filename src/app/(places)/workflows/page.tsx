import type { Metadata } from 'next'
import Link from 'next/link'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { cueWords } from '@/core/workflow/brief'
import { readReviewSetting } from '@/engine/program'
import { readSettings } from '@/store/settings'
import { tallyWorkflows } from '@/store/today'
import { listWorkflows } from '@/store/workflows'
import { ButtonLink } from '@/ui/parts/button'
import { Empty, Page, Title } from '@/ui/parts/page'
import { StateMark } from '@/ui/parts/state-mark'
import { Time } from '@/ui/parts/time'
import { counted } from '@/ui/today/summary'

export const metadata: Metadata = { title: 'Workflows' }

const WEEK = 7 * 86_400_000

export default async function Workflows() {
  await visitor('PAGE /workflows')
  const [workflows, wording, settings, tallies] = await Promise.all([
    listWorkflows(pool()),
    readReviewSetting(pool()),
    readSettings(pool()),
    tallyWorkflows(pool(), new Date(Date.now() - WEEK)),
  ])
  return (
    <Page>
      <Title
        actions={
          <ButtonLink kind="main" href="/workflows/new">
            Make a workflow
          </ButtonLink>
        }
      >
        Workflows
      </Title>
      {workflows.length === 0 && <Empty>No workflow yet. Make one: say what it waits for, when it holds, and who gets which mail.</Empty>}
      <ul className="mt-4 border-rule border-b">
        {workflows.map((w) => {
          const tally = tallies.find((t) => t.workflow === w.id)
          const edited = w.live !== null && JSON.stringify(w.live) !== JSON.stringify(w.draft)
          return (
            <li key={w.id} className="grid grid-cols-[110px_minmax(0,1fr)_150px_170px_120px] items-baseline gap-x-5 border-rule border-t py-2.5 hover:bg-sheet">
              <StateMark state={w.state} />
              <div className="min-w-0">
                <Link href={`/workflows/${encodeURIComponent(w.name)}`} className="font-serif text-ink text-lg">
                  {w.name}
                </Link>
                {edited && <span className="pl-3 text-rope text-sm">edits not yet live</span>}
                <p className="truncate text-muted text-sm">{cueWords(w.draft, wording.schema.get(w.draft.table), wording)}</p>
              </div>
              <span className="text-sm">
                {tally?.failed ? <b className="font-semibold text-alarm">{tally.failed} failed</b> : <span className="text-muted">{tally?.runs ? 'none failed' : ''}</span>}
              </span>
              <span className="text-sm">
                {counted(tally?.runs ?? 0, 'run')}, {counted(tally?.messages ?? 0, 'mail')} <span className="text-muted">in 7 days</span>
              </span>
              <span className="text-right text-muted text-sm">{tally?.last ? <Time at={tally.last} locale={settings.locale} zone={settings.zone} /> : 'never fired'}</span>
            </li>
          )
        })}
      </ul>
    </Page>
  )
}
