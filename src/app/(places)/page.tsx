import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { countedIn } from '@/app/_server/counting'
import { pool } from '@/app/_server/environment'
import { figuresToday } from '@/app/_server/figures-today'
import { readHealth } from '@/app/_server/health'
import { mailGoesTo } from '@/app/_server/mail-server'
import { seenBy } from '@/app/_server/seen'
import { unreadOf } from '@/app/_server/unread'
import { saysTheSame } from '@/core/document/same'
import { dayOf, startOfDay } from '@/core/values/dates'
import { listAttachedNews } from '@/store/attach/follow'
import { listBroken } from '@/store/broken'
import { listRefusedFiles } from '@/store/bulk/imports'
import { countPassedBy } from '@/store/catch-up'
import { listHeld } from '@/store/limits/held'
import { readMailState } from '@/store/mail-state'
import { listMessages } from '@/store/messages'
import { listDeafChannels, listDeafHooks, listNotices } from '@/store/notice-log'
import { listPeople } from '@/store/people'
import { readAsleep } from '@/store/place'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { listFailed, listFirings, listLatencies, listMostWritten, listNoisy, listWaiting, readReach, readStretchStarts, readTally } from '@/store/today'
import { readTold } from '@/store/trouble'
import { countWorkers } from '@/store/workers'
import { listWorkflows } from '@/store/workflows'
import { NewTable } from '@/ui/bulk/new-table'
import { Firings, HEAPS } from '@/ui/charts/firings'
import { Latency } from '@/ui/charts/latency'
import { MostWritten } from '@/ui/charts/most-written'
import { Noisy } from '@/ui/charts/noisy'
import { NoticesForMe } from '@/ui/notices/for-me'
import { Page } from '@/ui/parts/page'
import { Asleep } from '@/ui/today/asleep'
import { FiguresToday } from '@/ui/today/figures'
import { FirstThings, FirstWords } from '@/ui/today/first-things'
import { HeldToday } from '@/ui/today/held'
import { Matters } from '@/ui/today/matters'
import { MyMail } from '@/ui/today/my-mail'
import { NobodyTold } from '@/ui/today/nobody-told'
import { Summary } from '@/ui/today/summary'
import { UnderTheHood } from '@/ui/today/under-the-hood'
import { WordsField } from '@/ui/words/words-field'

export const metadata: Metadata = { title: 'Today' }

const DAY = 86_400_000

/** Notices for whoever looks that are shown. */
const MOST_NOTICES = 3

/** Live workflows that are broken, the newest; all are marked among the workflows. */
const MOST_BROKEN = 6

const noisiest = countedIn((db) => listNoisy(db, new Date(Date.now() - 7 * DAY), 3))
const mostWritten = countedIn((db, midnight) => listMostWritten(db, new Date(midnight), 5))
const latenciesOfADay = countedIn((db) => listLatencies(db, new Date(Date.now() - DAY)))
const firingsOf = countedIn((db, midnight) => listFirings(db, new Date(midnight), HEAPS.seconds, HEAPS.seen))
const reachOf = countedIn((db, midnight) => readReach(db, new Date(midnight)))

/** Mails of a day of which the newest few make no difference to what is told of all: that may be a minute old. */
const MANY = 2_000

export default async function Today() {
  const actor = await visitor('PAGE /')
  const db = pool()
  const settings = await readSettings(db)
  const now = new Date()
  const day = dayOf(now, settings.zone)
  const midnight = startOfDay(day, settings.zone)
  const title = new Intl.DateTimeFormat(settings.locale, { weekday: 'long', day: 'numeric', month: 'long', timeZone: settings.zone }).format(now)
  const noticesForMe = async () => {
    const [unread, count] = await Promise.all([listNotices(db, { me: actor.person, unread: true, limit: MOST_NOTICES }), unreadOf(actor.person)])
    return <NoticesForMe notices={unread} count={count} locale={settings.locale} zone={settings.zone} />
  }
  if (actor.role === 'member')
    return (
      <MyMail
        title={title}
        notices={await noticesForMe()}
        messages={(await listMessages(db, { to: actor.email ?? '', limit: 50 })).map((message) => seenBy(actor, message))}
        locale={settings.locale}
        zone={settings.zone}
      />
    )
  if (actor.role === 'administrator' && (await readSchema(db)).size === 1)
    return (
      <NewTable
        tables={[]}
        me={actor.email}
        organisation={settings}
        head={<FirstWords organisation={settings.name} />}
        margin={<FirstThings mail={await mailGoesTo(db)} people={(await listPeople(db)).length} />}
      />
    )
  const reach = await reachOf.get(midnight.getTime(), ({ sent }) => sent >= MANY)
  const isBusy = () => reach.sent >= MANY
  const [
    tally,
    failed,
    waiting,
    firings,
    written,
    latencies,
    mail,
    standing,
    workers,
    workflows,
    since,
    passed,
    noisy,
    figures,
    held,
    refused,
    news,
    asleep,
    broken,
    told,
    deafChannels,
    deafHooks,
    notices,
  ] = await Promise.all([
    readTally(db, midnight),
    listFailed(db, new Date(now.getTime() - 3 * DAY), 6),
    listWaiting(db, 4),
    firingsOf.get(midnight.getTime(), isBusy),
    mostWritten.get(midnight.getTime(), isBusy),
    latenciesOfADay.get(0, isBusy),
    readMailState(db),
    readHealth(),
    countWorkers(db),
    listWorkflows(db),
    readStretchStarts(db),
    countPassedBy(db),
    noisiest.get(0, isBusy),
    figuresToday(db, new Date(now.getTime() - 7 * DAY), settings),
    listHeld(db),
    listRefusedFiles(db, new Date(now.getTime() - 3 * DAY), 4),
    listAttachedNews(db, new Date(now.getTime() - 3 * DAY), 4),
    readAsleep(db),
    listBroken(db),
    readTold(db, actor.person),
    listDeafChannels(db, 1, 4),
    actor.role === 'administrator' ? listDeafHooks(db, 1) : [],
    noticesForMe(),
  ])
  const paused = workflows.filter((w) => w.state === 'paused').map((w) => ({ name: w.name, since: since.get(w.id) ?? null, passed: passed.get(w.name) ?? 0 }))
  const notLive = workflows.filter((w) => w.state === 'draft' || !saysTheSame(w.draft, w.live)).map((w) => ({ name: w.name, state: w.state }))
  return (
    <Page
      margin={
        <>
          <MostWritten rows={written} />
          <Noisy rows={noisy} />
          <Latency milliseconds={latencies} />
          <UnderTheHood mail={mail} workers={Math.max(workers.changes, workers.mail)} standing={standing} changes={reach.changes} />
        </>
      }
    >
      {asleep && <Asleep why={asleep.why} mayWake={actor.role === 'administrator'} waiting={tally.waiting + tally.notices + tally.held} />}
      <Summary title={title} tally={tally} reach={reach} mail={mail} />
      {notices}
      <div className="mb-5">
        <WordsField place="today" />
      </div>
      <Matters
        broken={broken.slice(0, MOST_BROKEN)}
        refused={refused}
        news={news}
        failed={failed}
        waiting={waiting}
        deafChannels={deafChannels}
        deafHooks={deafHooks}
        paused={paused}
        notLive={notLive}
        locale={settings.locale}
        zone={settings.zone}
      />
      {!told.anybody && actor.person !== null && <NobodyTold />}
      <HeldToday
        held={held.map((h) => ({ ...h, until: h.until?.toISOString() ?? null }))}
        canAct={mayUse(actor.role, 'POST /api/v1/workflows/[name]/held')}
        locale={settings.locale}
        zone={settings.zone}
      />
      <FiguresToday {...figures} />
      <Firings firings={firings} workflows={workflows.filter((w) => w.state === 'live').map((w) => w.name)} midnight={midnight} now={now} />
    </Page>
  )
}
