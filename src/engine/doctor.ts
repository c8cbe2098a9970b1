import { existsSync } from 'node:fs'
import { readdir, statfs } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { faultOf } from '@/core/must'
import { whyAsleep } from '@/core/words/asleep'
import { checkRole, OLDEST_POSTGRES } from '@/store/access/database-role'
import { openMailServers } from '@/store/access/mail-server'
import { type BrokenRow, listBroken } from '@/store/broken'
import { readVitals, type Vitals } from '@/store/doctor'
import { readStanding, type Standing, TOO_LONG } from '@/store/health'
import { listDeafChannels, listDeafHooks } from '@/store/notice-log'
import { readAsleep } from '@/store/place'
import { Replica } from '@/store/replica'
import { readSettings } from '@/store/settings'
import { countWorkers } from '@/store/workers'
import { zoneDiffers } from '@/store/zones'
import { createTransport, serverOf, serversOf } from './delivery/server'

/** Something that was looked at, in a sentence, and what to do where it is not well. */
export interface Finding {
  readonly ok: boolean
  readonly what: string
  readonly todo?: string
}

/** What is looked at besides the database. */
export interface Place {
  readonly home: string
  /** The mail server that the environment names. */
  readonly smtpUrl: string | null
  /** Where the post room takes mail, where no server is set. */
  readonly smtpPort: number
}

const OLDEST_NODE = 20
const MOST_AHEAD_MS = 2_000
const FEWEST_BYTES = 1_000_000_000
const LONG_TRANSACTION_S = 600
const PATIENCE_MS = 10_000
const MOST_DEAF = 20

const well = (what: string): Finding => ({ ok: true, what })
const ill = (what: string, todo: string): Finding => ({ ok: false, what, todo })

/** Looks at everything that an installation needs to work, and says what is wrong and what to do. Never throws but where the database is away. */
export async function examine(pool: Pool, place: Place): Promise<Finding[]> {
  const [vitals, role, standing, workers, asleep, broken] = await Promise.all([
    readVitals(pool),
    checkRole(pool),
    readStanding(pool),
    countWorkers(pool),
    readAsleep(pool),
    listBroken(pool),
  ])
  return [
    ...versions(vitals),
    ...(role.stops.length + role.warnings.length === 0
      ? [well('Rappel’s role on the database has the rights that it needs, and no more.')]
      : [...role.stops, ...role.warnings].map((sentence) => ill(sentence, 'See “A database of your own” in docs/operating.md.'))),
    await migrated(vitals),
    ...captured(standing),
    ...sound(broken),
    clock(vitals),
    await zone(pool),
    vitals.readyUntil > nextMonth()
      ? well(`The change log has room for months until ${vitals.readyUntil}.`)
      : ill(`The change log has no room for ${vitals.readyUntil}.`, 'A worker makes it each night at 03:05 UTC. Start one, or run: select rappel.ensure_change_partitions(0, 2);'),
    durable(vitals),
    ...load(vitals),
    ...(await mail(pool, place)),
    await disk(place.home),
    key(place.home),
    ...working(workers),
    ...queues(standing),
    ...(await deaf(pool)),
    ...(await replica(pool)),
    ...(asleep ? [ill(`${whyAsleep(asleep.why)} It waits to be told to go on.`, 'Say so on its first page, or run: npm run rappel -- wake')] : []),
  ]
}

function versions({ version }: Vitals): Finding[] {
  const node = Number(process.versions.node.split('.')[0])
  return [
    version >= OLDEST_POSTGRES
      ? well(`PostgreSQL ${Math.floor(version / 10_000)}.${version % 10_000}.`)
      : ill(`PostgreSQL ${Math.floor(version / 10_000)} is older than 15.`, 'Bring the server to version 15 or newer.'),
    node >= OLDEST_NODE
      ? well(`Node.js ${process.versions.node}.`)
      : ill(`Node.js ${process.versions.node} is older than ${OLDEST_NODE}.`, `Install Node.js ${OLDEST_NODE} or newer.`),
  ]
}

async function migrated({ migration }: Vitals): Promise<Finding> {
  const files = await readdir(join(process.cwd(), 'src/store/migrations')).catch(() => [])
  const newest = Math.max(0, ...files.map((f) => Number(f.slice(0, 3)) || 0))
  if (migration === newest) return well(`The database is at this version’s step, ${migration}.`)
  return migration < newest
    ? ill(`The database is at step ${migration}, this version’s is ${newest}.`, 'Start Rappel with npm start, which brings it up to date.')
    : ill(`The database is at step ${migration}, of a newer version than this one, which knows ${newest}.`, 'Run the newer version.')
}

function captured({ uncaptured, unreplicated, attached }: Standing): Finding[] {
  const wrong = [
    ...uncaptured.map((table) =>
      ill(`Changes of ${table} are not recorded: its triggers were taken away or switched off.`, 'alter table … enable trigger user, or save one of its fields.'),
    ),
    ...unreplicated.map(({ label, sql }) => ill(`What replication writes to ${label} is not recorded.`, `Run as its owner: ${sql}`)),
    ...attached.map(({ label, trouble, error, unlogged }) =>
      ill(
        trouble ? `${label} is not watched: ${trouble}` : `${unlogged} statements on ${label} are not yet recorded: ${error}`,
        'See “Tables of other programs” in docs/operating.md.',
      ),
    ),
  ]
  return wrong.length ? wrong : [well('Changes of every table are recorded.')]
}

const sound = (broken: readonly BrokenRow[]): Finding[] =>
  broken.length
    ? broken.map(({ name, problems }) =>
        ill(`The live workflow ${name} cannot do what it says: ${problems.join(' ')}`, 'Open its brief, where the line is marked, and mend it or what it names.'),
      )
    : [well('Every live workflow can do what it says.')]

const durable = ({ undurable }: Vitals): Finding =>
  undurable.length
    ? ill(
        `A crash of the database’s machine may take what was committed last: ${undurable.join(', ')} ${undurable.length === 1 ? 'is' : 'are'} off. Mail that was sent in that moment would be sent again, under the same Message-ID.`,
        `Switch ${undurable.length === 1 ? 'it' : 'them'} on in the server’s configuration.`,
      )
    : well('The database keeps what was committed through a crash.')

function clock({ ahead }: Vitals): Finding {
  const seconds = Math.abs(ahead / 1_000).toFixed(1)
  return Math.abs(ahead) <= MOST_AHEAD_MS
    ? well('The clocks of this machine and of the database agree.')
    : ill(
        `The database’s clock is ${seconds} s ${ahead > 0 ? 'ahead of' : 'behind'} this machine’s.`,
        'Let both keep time by the same source (NTP). Everything is done by the database’s clock; this machine’s log tells other times.',
      )
}

async function zone(pool: Pool): Promise<Finding> {
  const { zone } = await readSettings(pool)
  const differs = await zoneDiffers(pool, zone)
  if (!differs) return well(`This machine and the database know the same clocks of ${zone}.`)
  return differs === 'unknown'
    ? ill(
        `The database does not know the time zone ${zone}: conditions and figures that go by days fail.`,
        'Choose another in Settings, or install tzdata-legacy on the database’s machine.',
      )
    : ill(
        `This machine and the database do not agree what time it is in ${zone} on ${differs.day}: what goes by days may be told otherwise live than rehearsed.`,
        'Bring tzdata on the database’s machine, and Node.js here, to their newest versions.',
      )
}

function load({ connections, mostConnections, oldestTransaction }: Vitals): Finding[] {
  const isTight = connections > mostConnections * 0.9
  const isLong = oldestTransaction !== null && oldestTransaction > LONG_TRANSACTION_S
  return [
    isTight
      ? ill(`${connections} of the database’s ${mostConnections} connections are in use.`, 'Raise max_connections, or put PgBouncer before it (docs/scaling.md).')
      : well(`${connections} of the database’s ${mostConnections} connections are in use.`),
    ...(isLong
      ? [
          ill(
            `A transaction has been open for ${Math.round(oldestTransaction / 60)} minutes, which keeps what was deleted from being cleared away.`,
            'Find it: select pid, query from pg_stat_activity order by xact_start limit 1; and end what holds it.',
          ),
        ]
      : []),
  ]
}

async function mail(pool: Pool, { smtpUrl, smtpPort }: Place): Promise<Finding[]> {
  const servers = smtpUrl ? serversOf(smtpUrl) : await openMailServers(pool).catch((error: unknown) => ill(faultOf(error), 'Give it again in Settings, Mail server.'))
  if (!Array.isArray(servers)) return [servers]
  const asked = servers.length ? servers : [serverOf(`smtp://127.0.0.1:${smtpPort}`)]
  return Promise.all(
    asked.map(async (server) => {
      const transport = createTransport(server, 1, PATIENCE_MS)
      try {
        await transport.verify()
        return well(`The mail server ${server.host}, port ${server.port}, answers.`)
      } catch (error) {
        return ill(
          `The mail server ${server.host}, port ${server.port}, does not answer: ${faultOf(error)}`,
          'Look whether it runs, and whether host, port, security, user and password in Settings are right. Mail waits meanwhile.',
        )
      } finally {
        transport.close()
      }
    }),
  )
}

async function disk(home: string): Promise<Finding> {
  try {
    const { bavail, bsize } = await statfs(home)
    const free = bavail * bsize
    const words = `${(free / 1e9).toFixed(1)} GB are free where ${home} lies.`
    return free >= FEWEST_BYTES ? well(words) : ill(words, 'Make room: where the database’s disk is full nothing can be saved.')
  } catch (error) {
    return ill(`The home ${home} cannot be looked at: ${faultOf(error)}`, 'Set RAPPEL_HOME to the home of this installation.')
  }
}

const key = (home: string): Finding =>
  process.env.RAPPEL_KEY || existsSync(join(home, 'key'))
    ? well('The key that secrets are sealed with is here.')
    : ill(`The key that secrets are sealed with is not at ${join(home, 'key')}.`, 'Copy it from the first machine or from a backup, or give it in RAPPEL_KEY.')

function working(workers: Readonly<Record<'changes' | 'mail', number>>): Finding[] {
  const words = { changes: 'decide about changes', mail: 'deliver mail' } as const
  return (['changes', 'mail'] as const).map((part) =>
    workers[part] > 0
      ? well(`${workers[part]} ${workers[part] === 1 ? 'process' : 'processes'} to ${words[part]}.`)
      : ill(`No process runs to ${words[part]}.`, 'Start one: npm start, or npm run worker on any machine that reaches the database.'),
  )
}

function queues({ backlog, oldestChange, oldestMessage, oldestRun }: Standing): Finding[] {
  const late = (age: number | null, what: string) =>
    age !== null && age > TOO_LONG
      ? [ill(`${what} has waited for ${Math.round(age)} s.`, 'Look at Today for what fails, and whether more workers are wanted (docs/scaling.md).')]
      : []
  const found = [...late(oldestChange, 'The oldest change'), ...late(oldestMessage, 'The oldest message that is due'), ...late(oldestRun, 'The oldest run that is due')]
  return found.length ? found : [well(backlog === 0 ? 'Nothing waits to be handled.' : `${backlog} changes wait to be handled, none for long.`)]
}

/** Channels and programs that do not take what they are given; nothing where there is none. */
async function deaf(pool: Pool): Promise<Finding[]> {
  const [channels, hooks] = await Promise.all([listDeafChannels(pool, 2, MOST_DEAF), listDeafHooks(pool, 2)])
  const todo = 'Look whether its address in Settings is right, and whether it runs. What waits is given as soon as it takes it.'
  return [
    ...channels.map(({ channel, notices, reply }) => ill(`The channel ${channel} takes no notices; ${notices} wait. It said: ${reply}`, todo)),
    ...hooks.map(({ name, reply }) => ill(`The program ${name} takes no changes. It said: ${reply}`, todo)),
  ]
}

async function replica(pool: Pool): Promise<Finding[]> {
  const url = process.env.RAPPEL_READ_DATABASE_URL
  if (!url) return []
  const read = new Replica(pool, url, 1)
  try {
    const { behind } = await read.from()
    return [
      behind === null
        ? ill('The replica that is read from is away, or more than a minute behind.', 'Look whether it runs and follows. Everything is read from the database itself meanwhile.')
        : well(`The replica that is read from is ${behind.toFixed(0)} s behind.`),
    ]
  } finally {
    await read.end()
  }
}

function nextMonth(): string {
  const now = new Date()
  return new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() + 1, 1)).toISOString().slice(0, 7)
}
