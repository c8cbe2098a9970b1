import type { DigestWords } from '@/core/limits/digest-words'
import type { Organisation } from '@/core/values/tables'
import { IDLE_MINUTES } from './access/sessions'
import { maybeOne, type Queryable, touch } from './database'

/** What an installation is set to: the organisation's ways, and who its mail is from. */
export interface Settings extends Organisation {
  readonly sender: { readonly name: string; readonly address: string }
  /** Domains that mail may be sent for besides the senders' own addresses: somebody there can be the From of mail that is from the owner. */
  readonly sendingDomains: readonly string[]
  /** Whether every mail ends with a link that says why one got it. */
  readonly whyFooter: boolean
  /** Days for which that link shows values to whoever has it; after them it asks to sign in. */
  readonly whyDays: number
  /** Months for which changes are kept in the change log; those that are over are dropped whole. */
  readonly keepMonths: number
  /** Months for which runs are kept with their mail and notices, and for which the texts of mail are. */
  readonly keepRunMonths: number
  readonly keepTextMonths: number
  /** Minutes without a call after which a session ends. */
  readonly idleMinutes: number
  /** The most mail of all workflows in a day and in an hour; null where there is no such limit. */
  readonly mailPerDay: number | null
  readonly mailPerHour: number | null
  /** Most megabytes of one file, and of all that are kept; null: no limit. */
  readonly fileSize: number
  readonly filesTotal: number | null
  /** The words that digests are written in; null for those that are shipped. */
  readonly digestWords: DigestWords | null
}

/** Most megabytes that settings let one file have: a file is kept and sent in one piece, in memory. */
export const MOST_FILE_MB = 100

const INITIAL: Settings = {
  name: 'My organisation',
  locale: 'en-GB',
  zone: 'Europe/London',
  currency: 'GBP',
  sender: { name: 'Rappel', address: 'rappel@localhost.localdomain' },
  sendingDomains: [],
  whyFooter: false,
  whyDays: 30,
  keepMonths: 24,
  keepRunMonths: 24,
  keepTextMonths: 24,
  idleMinutes: IDLE_MINUTES,
  mailPerDay: null,
  mailPerHour: null,
  fileSize: 10,
  filesTotal: null,
  digestWords: null,
  quietHours: null,
  digestAt: null,
}

/** The settings, with what was never set at its initial value. */
export async function readSettings(db: Queryable): Promise<Settings> {
  const row = await maybeOne<{ value: Partial<Settings> }>(db, `select value from rappel.setting where key = 'organisation'`)
  return { ...INITIAL, ...row?.value }
}

/** Changes some of the settings; workers compile anew. */
export async function writeSettings(db: Queryable, settings: Partial<Settings>): Promise<void> {
  await touch(
    db,
    `insert into rappel.setting (key, value) values ('organisation', $1)
     on conflict (key) do update set value = setting.value || excluded.value`,
    [JSON.stringify(settings)],
  )
  await db.query('select rappel.next_generation()')
}

/** A secret or mark kept under a key of its own; null where there is none. */
export async function readMark(db: Queryable, key: string): Promise<unknown> {
  return (await maybeOne<{ value: unknown }>(db, 'select value from rappel.setting where key = $1', [key]))?.value ?? null
}

/** Keeps a mark under a key of its own. */
export async function writeMark(db: Queryable, key: string, value: unknown): Promise<void> {
  await touch(db, 'insert into rappel.setting (key, value) values ($1, $2) on conflict (key) do update set value = excluded.value', [key, JSON.stringify(value)])
}

/** Takes away what is kept under a key of its own. */
export async function removeMark(db: Queryable, key: string): Promise<void> {
  await touch(db, 'delete from rappel.setting where key = $1', [key])
}
