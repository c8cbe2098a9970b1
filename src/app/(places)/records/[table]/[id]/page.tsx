import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { keeperFor, mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { countedIn } from '@/app/_server/counts-in'
import { pool } from '@/app/_server/environment'
import { seenBy } from '@/app/_server/seen'
import { tablesNear } from '@/core/paths/near'
import { readId } from '@/core/values/parse'
import { type Image, idOf, type TableDef, titleOf } from '@/core/values/tables'
import { latestChanges } from '@/store/changes'
import { listMessages } from '@/store/messages'
import { listNotices } from '@/store/notice-log'
import { listNamed, peopleByEmail } from '@/store/people'
import { readRecord, readTitles, relatedLists } from '@/store/records'
import { listRuns } from '@/store/runs'
import { readSettings } from '@/store/settings'
import { listStays } from '@/store/stays'
import { readSchema } from '@/store/tables'
import { SentDeeds } from '@/ui/by-hand/deeds-menu'
import { Page } from '@/ui/parts/page'
import { sent } from '@/ui/parts/sent'
import { CountsIn } from '@/ui/records/counts-in'
import { NewRecord } from '@/ui/records/new-record'
import { RecordSheet } from '@/ui/records/record-sheet'
import { RecordRefresh } from '@/ui/records/refresh'
import { RelatedList } from '@/ui/records/related-list'
import { Timeline } from '@/ui/records/timeline'
import { WaitingList } from '@/ui/stays/waiting-list'

type Params = { params: Promise<{ table: string; id: string }> }

async function find({ params }: Params): Promise<{ schema: Awaited<ReturnType<typeof readSchema>>; table: TableDef; record: Image | null }> {
  const { table: name, id } = await params
  const schema = await readSchema(pool())
  const table = name === 'person' ? undefined : schema.get(name)
  if (!table) notFound()
  if (id === 'new') return { schema, table, record: null }
  const known = readId(table, decodeURIComponent(id))
  const record = known === null ? null : await readRecord(pool(), table, known)
  if (!record) notFound()
  return { schema, table, record }
}

export async function generateMetadata(props: Params): Promise<Metadata> {
  await visitor('PAGE /records/[table]/[id]')
  const { table, record } = await find(props)
  return { title: record ? titleOf(table, record) : `New ${table.singular}` }
}

export default async function RecordPage(props: Params) {
  const actor = await visitor('PAGE /records/[table]/[id]')
  const { schema, table, record } = await find(props)
  const [people, settings] = await Promise.all([listNamed(pool()), readSettings(pool())])
  const choices = sent(people)
  const tables = sent(tablesNear(schema, table.name))
  if (!record) return <Page>{<NewRecord table={table} tables={tables} people={choices} />}</Page>
  const id = idOf(record)
  const isEditor = actor.role !== 'member'
  const [lists, changes, messages, runs, stays] = await Promise.all([
    relatedLists(pool(), schema, table, id, 8),
    latestChanges(pool(), schema, table.name, id, 60),
    listMessages(pool(), { table: table.name, record: id, limit: 60, ...(isEditor ? {} : { to: actor.email ?? '' }) }),
    listRuns(pool(), { table: table.name, record: id, keeper: keeperFor('PAGE /runs', actor), limit: 60 }),
    listStays(pool(), { table: table.name, record: id, open: true, keeper: keeperFor('PAGE /runs', actor), limit: 20 }),
  ])
  const [notices, titled] = await Promise.all([
    listNotices(pool(), { runs: runs.map((run) => run.id), me: actor.person, limit: 200 }),
    readTitles(pool(), schema, table, [record, ...changes.flatMap((c) => [c.before ?? {}, c.after ?? {}])]),
  ])
  const titles = Object.fromEntries(titled)
  return (
    <Page
      margin={
        <Timeline
          mayMark={mayUse(actor.role, 'POST /api/v1/propose')}
          table={table}
          changes={changes}
          messages={messages.map((message) => seenBy(actor, message))}
          notices={notices}
          runs={runs}
          titles={titles}
          organisation={settings}
        />
      }
    >
      <RecordRefresh newest={changes[0]?.at.toISOString() ?? null} />
      <RecordSheet
        table={table}
        tables={tables}
        record={record}
        titles={titles}
        people={choices}
        organisation={settings}
        mine={actor.role === 'member' ? actor.email : null}
        canDelete={mayUse(actor.role, 'DELETE /api/v1/records/[table]/[id]') && (table.attached?.mayDelete ?? true)}
      />
      <p className="mt-2 flex flex-wrap gap-x-6">
        <SentDeeds table={table.name} records={[id]} said={`For ${titleOf(table, record)}`} people={choices} />
      </p>
      <CountsIn figures={await countedIn(table, record, { schema, organisation: settings, people: (await peopleByEmail(pool())).ids })} />
      <WaitingList stays={stays} locale={settings.locale} zone={settings.zone} canCallOff={isEditor} />
      {lists.map((list) => (
        <RelatedList key={`${list.table.name} ${list.field}`} list={list} about={table} id={id} organisation={settings} />
      ))}
    </Page>
  )
}
