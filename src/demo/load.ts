import { join } from 'node:path'
import type { Pool, PoolClient } from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import { must } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import { Apart } from '@/engine/apart/apart'
import { Delivery } from '@/engine/delivery/deliver'
import { giveNotices } from '@/engine/delivery/notices'
import { createTransport } from '@/engine/delivery/server'
import { oneWay } from '@/engine/delivery/way'
import { Dispatcher } from '@/engine/dispatch'
import { Figures } from '@/engine/figures/figures'
import { Held } from '@/engine/limits/held'
import { keepPressed, tryPress } from '@/engine/occasions/press'
import type { Source } from '@/engine/occasions/source'
import { Stays } from '@/engine/occasions/stays'
import { Timetables } from '@/engine/occasions/timetables'
import { WaitingRuns } from '@/engine/waiting'
import { PostRoom } from '@/outside/post-room/post-room'
import { setPassword } from '@/store/access/sessions'
import { busyShards, ensurePartitions } from '@/store/changes'
import { createPool, hurriedConnection, type Queryable, transactionOn } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { putChannel } from '@/store/notices'
import { putGroup, putPerson } from '@/store/people'
import { advanceIds, createRecord, deleteRecord, editRecords, listRecords } from '@/store/records'
import { readSettings, writeSettings } from '@/store/settings'
import { putTable, readSchema } from '@/store/tables'
import { putSender, putTemplate } from '@/store/templates'
import { actAs } from '@/store/who'
import { registerWorker, unregisterWorker } from '@/store/workers'
import { pauseWorkflow, putLive, readWorkflowRow, saveDraft } from '@/store/workflows'
import { noteBegun, noteLoaded } from './beginning'
import { EXAMPLES } from './examples'
import { BY_FIGURE, FIGURES } from './figures'
import { loadFiles } from './files'
import type { Event, Write } from './history/events'
import { writeHistory } from './history/history'
import { at, DEMO_PASSWORD, GROUPS, PEOPLE } from './people'
import { TABLES } from './tables'
import { TEMPLATES } from './templates'
import { WORKFLOWS } from './workflows'
import { BY_CLOCK } from './workflows-by-clock'
import { LIMITED } from './workflows-limited'

const PLAYED_DAYS = 14
/** How many days ago somebody ran a workflow by hand, and the id of that press. */
const PRESSED_DAYS = 3
const PRESS = '6f1d2c34-5a7b-4c8d-9e0f-1a2b3c4d5e6f'
const DAY = 86_400_000

export interface LoadOptions {
  readonly databaseUrl: string
  readonly home: string
  readonly baseUrl: string
  /** Where the post room will listen once it runs. */
  readonly postRoomUrl: string
  readonly now: Date
  readonly say: (line: string) => void
}

/** Months before this one in which the history may begin. */
const MONTHS_BACK = 4

/** Loads the made-up organisation: people, tables, 90 days of history through the real capture, and the last 14 days' runs and mail through the real engine. */
export async function loadDemo(pool: Pool, options: LoadOptions): Promise<void> {
  await noteBegun(pool)
  const people = await loadOrganisation(pool)
  const certificate = await loadFiles(pool)
  const history = writeHistory(options.now, people, certificate)
  const quick = createPool(options.databaseUrl, { max: 4, name: 'rappel demo' })
  try {
    await play(quick, history, people, options)
  } finally {
    await quick.end()
  }
  await noteLoaded(pool, { password: DEMO_PASSWORD, people: ['maren.voss', 'tove.lindqvist', 'rafi.demir'].map(at) })
}

async function loadOrganisation(pool: Pool): Promise<Map<string, number>> {
  await writeSettings(pool, {
    name: 'Ternsay Ferries',
    locale: 'en-GB',
    zone: 'Europe/London',
    currency: 'GBP',
    sender: { name: 'Ternsay Ferries', address: at('alerts') },
    quietHours: { from: '22:00', to: '06:00' },
    digestAt: ['08:00', '16:00'],
  })
  const people = new Map<string, number>()
  for (const { email, name, ...rest } of PEOPLE) {
    const [first_name, ...last] = name.split(' ')
    const { id } = await putPerson(pool, email, { name, first_name, last_name: last.join(' '), ...rest })
    await setPassword(pool, id, DEMO_PASSWORD)
    people.set(email, id)
  }
  await putSender(pool, { name: 'Claims desk', display: 'Ternsay Ferries claims desk', address: at('claims') })
  for (const group of GROUPS) await putGroup(pool, group.name, group.people, group.addresses)
  for (const table of TABLES) await putTable(pool, table)
  await ensurePartitions(pool, MONTHS_BACK)
  return people
}

/** A clock that stands at each event in turn and runs on from there as fast as real time. */
class PlayedClock {
  private base = new Date(0)
  private since = performance.now()

  set(at: Date): void {
    this.base = at
    this.since = performance.now()
  }

  readonly now = (): Date => new Date(this.base.getTime() + (performance.now() - this.since))
}

/** Plays the history on a stage of its own, which is struck whatever comes of it. */
async function play(pool: Pool, history: readonly Event[], people: ReadonlyMap<string, number>, options: LoadOptions): Promise<void> {
  const clock = new PlayedClock()
  const room = await PostRoom.open({ folder: join(options.home, 'post-room'), smtpPort: 0, httpPort: 0, clock: clock.now })
  const transport = createTransport(`smtp://127.0.0.1:${room.smtpPort}`, 2)
  const apart = new Apart({ databaseUrl: options.databaseUrl, baseUrl: options.baseUrl, processes: 1 })
  const connection = await hurriedConnection(pool)
  try {
    await playOn({ clock, room, transport, apart, connection }, pool, history, people, options)
  } finally {
    connection.release(true)
    transport.close()
    apart.close()
    await room.close()
  }
  await putChannel(pool, 'Quays', `${options.postRoomUrl}/channels/Quays`, CHANNEL_SECRET)
}

/** What the history is played with, and is closed afterwards. */
interface Played {
  readonly clock: PlayedClock
  readonly room: PostRoom
  readonly transport: ReturnType<typeof createTransport>
  readonly apart: Apart
  readonly connection: PoolClient
}

async function playOn(
  { clock, room, transport, apart, connection }: Played,
  pool: Pool,
  history: readonly Event[],
  people: ReadonlyMap<string, number>,
  options: LoadOptions,
): Promise<void> {
  const schema = await readSchema(pool)
  await putChannel(pool, 'Quays', `http://127.0.0.1:${room.httpPort}/channels/Quays`, CHANNEL_SECRET)
  const worker = await registerWorker(connection, 'demo', process.pid)
  const dispatcher = new Dispatcher(pool, options.baseUrl, clock.now)
  const engine = {
    dispatcher,
    sources: [new Stays(pool, dispatcher, clock.now), new Timetables(pool, dispatcher, clock.now), new Held(pool, dispatcher, clock.now)],
    figures: new Figures(pool, dispatcher, clock.now),
    waiting: new WaitingRuns(pool, dispatcher, apart, clock.now),
    delivery: new Delivery(pool, oneWay(transport), () => worker, clock.now),
    pool,
    baseUrl: options.baseUrl,
    clock: clock.now,
  }
  const liveFrom = new Date(options.now.getTime() - PLAYED_DAYS * DAY)
  const watched = new Set(SHIPPED.filter((w) => w.state !== 'draft').map((w) => w.workflow.table))
  // figures that nothing waits for are moved once a day, which tells their past no worse
  const waited = new Set(BY_FIGURE.map((w) => w.workflow.table))
  const pressFrom = new Date(options.now.getTime() - PRESSED_DAYS * DAY)
  // of days that are over figures are moved once an hour: what they cross says when it did all the same
  const lastDay = options.now.getTime() - 1.1 * DAY
  let [isLive, pressed, day, hour] = [false, false, '', '']
  for (const event of history) {
    if (!isLive && event.at >= liveFrom) {
      isLive = true
      clock.set(liveFrom)
      await settleAll(engine)
      for (const figure of FIGURES) await putFigure(pool, figure, { schema, people, organisation: await readSettings(pool) }, liveFrom)
      await ship(pool, people, liveFrom)
      for (const [table, id] of lastIds(history)) await advanceIds(pool, table, id)
      options.say('  the last 14 days, through the engine …')
    }
    if (isLive) await passUntil(engine, clock, event.at)
    if (isLive && !pressed && event.at >= pressFrom) {
      pressed = true
      clock.set(event.at)
      await pressOnce(engine, people, event.at)
    }
    await write(connection, event, schema, people)
    if (!isLive || !event.writes.some((w) => watched.has(w.table))) continue
    clock.set(event.at)
    const isWaited = event.writes.some((w) => waited.has(w.table)) && (event.at.getTime() > lastDay || hourOf(event.at) !== hour)
    if (isWaited || dayOf(event.at) !== day) {
      await engine.figures.handle()
      hour = hourOf(event.at)
    }
    day = dayOf(event.at)
    room.faults = { refuse: faultsAt(event.at, options.now) }
    await settleAll(engine)
  }
  clock.set(options.now)
  await engine.figures.handle()
  await passUntil(engine, clock, options.now)
  await room.keepFaults()
  for (const table of schema.keys()) if (table !== 'person') await advanceIds(pool, table)
  await unregisterWorker(connection, worker)
}

const dayOf = (at: Date) => at.toISOString().slice(0, 10)
const hourOf = (at: Date) => at.toISOString().slice(0, 13)

/** Everything that is shipped. */
const SHIPPED = [...WORKFLOWS, ...BY_CLOCK, ...BY_FIGURE, ...LIMITED]

/** The demo's channel is a board on this machine; its secret is nobody's secret. */
const CHANNEL_SECRET = 'ternsay-quays'

/** The highest id that the history gives out by hand in each table; what workflows create comes after. */
function lastIds(history: readonly Event[]): Map<string, number> {
  const last = new Map<string, number>()
  for (const { writes } of history) for (const w of writes) if (w.do === 'create') last.set(w.table, Math.max(last.get(w.table) ?? 0, Number(w.image.id)))
  return last
}

/** Mailboxes that refuse: one was closed for good four days ago, one has been busy for the last hours. */
function faultsAt(moment: Date, now: Date): Record<string, number> {
  const hoursAgo = (now.getTime() - moment.getTime()) / 3_600_000
  return { ...(hoursAgo < 96 ? { [at('harbour.northhaven')]: 550 } : {}), ...(hoursAgo < 20 ? { [at('harbour.brae')]: 450 } : {}) }
}

async function ship(pool: Pool, people: ReadonlyMap<string, number>, moment: Date): Promise<void> {
  const by = people.get(at('maren.voss')) ?? null
  for (const template of TEMPLATES) await putTemplate(pool, template, by)
  for (const { workflow, state } of SHIPPED) {
    const examples = EXAMPLES[workflow.name]
    await saveDraft(pool, workflow.name, examples ? { ...workflow, examples } : workflow, by)
    if (state === 'draft') continue
    await putLive(pool, workflow.name, by, { at: moment })
    if (state === 'paused') await pauseWorkflow(pool, workflow.name, moment)
  }
}

interface Engine {
  readonly dispatcher: Dispatcher
  readonly sources: readonly Source[]
  readonly figures: Figures
  readonly waiting: WaitingRuns
  readonly delivery: Delivery
  readonly pool: Pool
  readonly baseUrl: string
  readonly clock: () => Date
}

/** Lets the clock go on to a moment, stopping wherever something is due that the clock sets off. */
async function passUntil(engine: Engine, clock: PlayedClock, moment: Date): Promise<void> {
  for (;;) {
    const due = (await Promise.all(engine.sources.map((s) => s.next()))).flatMap((d) => (d ? [d.getTime()] : []))
    const next = Math.min(...due)
    if (next > moment.getTime()) return
    clock.set(new Date(Math.max(next, clock.now().getTime())))
    await settleAll(engine, 'clock')
  }
}

/** Writes by hand to the passengers of one sailing, as the office did some days ago. */
async function pressOnce(engine: Engine, people: ReadonlyMap<string, number>, moment: Date): Promise<void> {
  const { pool, dispatcher, waiting } = engine
  const row = await readWorkflowRow(pool, 'Word to passengers')
  const schema = await readSchema(pool)
  const setting = { schema, organisation: await readSettings(pool), people }
  const newest = await listRecords(pool, must(schema.get('bookings')), setting, { limit: 1, order: '-id' })
  const bookings = await listRecords(pool, must(schema.get('bookings')), setting, {
    where: { field: 'sailing', op: 'is', value: Number(newest[0]?.sailing) },
    limit: 9,
    order: 'id',
  })
  if (!row?.live || row.version === null || bookings.length === 0) return
  const by = { kind: 'person' as const, person: people.get(at('tove.lindqvist')) ?? null, name: 'Tove Lindqvist' }
  const asked = { note: 'The bar on board is being painted. Bring your own coffee; the crew has hot water for everybody.', also_to: at('quays') }
  const given = { press: PRESS, records: bookings.map((b) => Number(b.id)), asked, by, at: moment }
  const tried = await tryPress(pool, row.live, given, (await dispatcher.current(pool)).surroundings, true)
  if (!('pressed' in tried)) return
  await keepPressed(pool, { id: row.id, name: row.name, version: row.version }, given, tried.pressed)
  while ((await waiting.tryPressed()) > 0);
  await settleAll(engine, 'press')
}

/** Handles and delivers what changes set off, and what comes of that. What the clock sets off is handled where the clock goes on, and after runs, which may have begun something. */
async function settleAll({ dispatcher, sources, waiting, delivery, pool, baseUrl, clock }: Engine, by: 'changes' | 'clock' | 'press' = 'changes'): Promise<void> {
  let runs = by === 'press' ? 1 : 0
  for (;;) {
    const before = runs
    await dispatcher.handleShards(await busyShards(pool), undefined, (done) => (runs += done.runs))
    if (by === 'clock' || runs > 0) for (const source of sources) runs += await source.handle()
    if (runs > before) while (await waiting.tryOne()) runs++ // what took long on a slow machine
    if (runs === before && !dispatcher.isBehind) break
  }
  if (runs === 0) return
  while (await delivery.pump()) await delivery.settle()
  while ((await giveNotices(pool, baseUrl, clock)) > 0);
}

function write(db: Queryable, event: Event, schema: ReadonlyMap<string, TableDef>, people: ReadonlyMap<string, number>): Promise<void> {
  return transactionOn(db, async () => {
    await actAs(db, { by: changedBy(event.by, people), clock: event.at })
    for (const w of event.writes) await writeOne(db, must(schema.get(w.table)), w)
  })
}

async function writeOne(db: Queryable, table: TableDef, w: Write): Promise<void> {
  if (w.do === 'create') await createRecord(db, table, w.image)
  else if (w.do === 'delete') await deleteRecord(db, table, w.id)
  else await editRecords(db, table, null, { ids: w.ids }, w.set)
}

function changedBy(by: string, people: ReadonlyMap<string, number>): ChangedBy {
  const person = people.get(by)
  if (person !== undefined) return { kind: 'person', person, name: must(PEOPLE.find((p) => p.email === by)?.name) }
  return by === 'import' ? { kind: 'import', person: null, name: 'Timetable import' } : { kind: 'system', person: null, name: 'Ticket counter' }
}
