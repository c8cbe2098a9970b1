import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { keeperFor, mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { titlesOfWrites } from '@/app/_server/write-titles'
import { answersTable } from '@/core/cues/answers'
import { changePath, recordPath } from '@/core/values/tables'
import { briefOf } from '@/core/words/brief'
import { readWording } from '@/engine/program'
import { listMessages, readMessage } from '@/store/messages'
import { listNotices } from '@/store/notice-log'
import { readTitles } from '@/store/records'
import { countAlike, relativesOf } from '@/store/run-retry'
import { readRun } from '@/store/runs'
import { readSettings } from '@/store/settings'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'
import { StateMark } from '@/ui/parts/state-mark'
import { Time } from '@/ui/parts/time'
import { pastChangesPage } from '@/ui/propose/address'
import { RunAgain } from '@/ui/runs/again'
import { RunMessage } from '@/ui/runs/message'
import { RunNotice } from '@/ui/runs/notice'
import { Relatives } from '@/ui/runs/relatives'
import { SetOff } from '@/ui/runs/set-off'
import { Trace } from '@/ui/runs/trace'
import { WhatChanged } from '@/ui/runs/what-changed'

export async function generateMetadata({ params }: { params: Promise<{ id: string }> }): Promise<Metadata> {
  return { title: `Run ${(await params).id}` }
}

export default async function RunPage({ params }: { params: Promise<{ id: string }> }) {
  const actor = await visitor('PAGE /runs/[id]')
  const id = Number((await params).id)
  const run = Number.isSafeInteger(id) ? await readRun(pool(), id, keeperFor('PAGE /runs/[id]', actor)) : null
  if (!run) notFound()
  const [setting, settings, list, notices, alike, relatives] = await Promise.all([
    readWording(pool()),
    readSettings(pool()),
    listMessages(pool(), { run: id, limit: 50 }),
    listNotices(pool(), { runs: [id], me: actor.person, limit: 50 }),
    run.state === 'failed' ? countAlike(pool(), id) : 0,
    relativesOf(pool(), id),
  ])
  const messages = await Promise.all(list.reverse().map((m) => readMessage(pool(), m.id)))
  const table = setting.schema.get(run.table)
  const { change } = run.trace
  const asked = run.document.cue.kind === 'by hand' ? answersTable(run.document.cue.ask ?? []) : null
  const titles = table ? await readTitles(pool(), setting.schema, table, [change?.before ?? {}, change?.after ?? {}]) : new Map<string, string>()
  if (asked) for (const [key, title] of await readTitles(pool(), setting.schema, asked, [run.trace.occasion?.asked ?? {}])) titles.set(key, title)
  for (const [key, title] of await titlesOfWrites(setting.schema, run.trace.writes ?? [])) titles.set(key, title)
  return (
    <Page
      margin={
        messages.length + notices.length ? (
          <>
            {messages.map((m) => m && <RunMessage key={m.id} message={m} setOffBy={run.kind} locale={settings.locale} zone={settings.zone} />)}
            {notices.toReversed().map((n) => (
              <RunNotice key={n.id} notice={n} canAct={mayUse(actor.role, 'POST /api/v1/notices/[id]/retry')} locale={settings.locale} zone={settings.zone} />
            ))}
          </>
        ) : (
          <p className="font-serif text-lg text-muted">No message and no notice came of this run.</p>
        )
      }
    >
      <Title beside={<StateMark state={run.state} />}>
        {run.workflow}, for{' '}
        {run.record === null ? (
          run.title
        ) : (
          <Link href={recordPath(run.table, run.record)} className="underline decoration-1 underline-offset-4">
            {run.title}
          </Link>
        )}
      </Title>
      <p className="mb-4 text-muted">
        Run <span className="font-mono text-xs">{run.id}</span> of version {run.version}, <Time at={run.at} locale={settings.locale} zone={settings.zone} />. {run.why}{' '}
        <Link href={`/workflows/${encodeURIComponent(run.workflow)}`}>Open the brief</Link>
        {run.change !== null && (
          <>
            , <Link href={changePath(run.change, run.table)}>what else the change set off</Link>
            {run.trial === null && mayUse(actor.role, 'POST /api/v1/propose') && (
              <>
                , <Link href={pastChangesPage({ within: run.workflow, no: run.change })}>not this one</Link>
              </>
            )}
          </>
        )}
      </p>
      {run.error && (
        <div role="alert" className="mb-4 border-alarm border-l-4 pl-3">
          <p>
            <b className="text-alarm">{run.state === 'waiting' ? 'It waits to be tried again.' : 'It failed and did nothing.'}</b> {run.error}
          </p>
          {run.trial === null && (run.state === 'failed' || run.state === 'waiting') && <RunAgain id={id} state={run.state} alike={alike} />}
        </div>
      )}
      {(run.state === 'mail failed' || run.state === 'notice failed') && (
        <div role="alert" className="mb-4 border-alarm border-l-4 pl-3">
          <p>
            <b className="text-alarm">It did what it had to, but {run.state === 'mail failed' ? 'mail' : 'a notice'} of it failed.</b> What the{' '}
            {run.state === 'mail failed' ? 'server' : 'channel'} said stands beside it.
          </p>
          <RunAgain id={id} state={run.state} alike={0} />
        </div>
      )}
      <Relatives relatives={relatives} />
      {run.trace.occasion && <SetOff occasion={run.trace.occasion} document={run.document} titles={titles} organisation={settings} />}
      {table && change && <WhatChanged change={change} table={table} titles={titles} organisation={settings} />}
      {table && <Trace lines={briefOf(run.document, setting)} trace={run.trace} table={table} setting={setting} titles={titles} />}
    </Page>
  )
}
