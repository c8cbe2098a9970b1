import type { Mentions } from '@/core/recipients/mentions'
import { type Queryable, touch } from '../database'

/** Where a table of Rappel's speaks of people: its key, and its columns of texts and of JSON. */
export interface Place {
  readonly table: string
  readonly key: readonly string[]
  readonly texts?: readonly string[]
  readonly json?: readonly string[]
  /** Which of its rows may be changed, as SQL over `t`. */
  readonly only?: string
}

/** Runs. */
export const OF_RUNS: Place = { table: 'run', key: ['id'], texts: ['title', 'why', 'error'], json: ['trace', 'chain', 'occasion'] }

/** Where the log of what was done speaks of whom it was done for. */
export const OF_THE_LOG: readonly Place[] = [
  OF_RUNS,
  { table: 'stay', key: ['id'], texts: ['title'] },
  { table: 'press', key: ['id'], json: ['asked'] },
  { table: 'crossing', key: ['id'], json: ['grp'] },
  { table: 'notice', key: ['id'], texts: ['title', 'body', 'last_reply'] },
  { table: 'bulk', key: ['id'], texts: ['name'] },
  { table: 'import_file', key: ['import', 'file', 'mark'], texts: ['problem'] },
  { table: 'attached_news', key: ['id'], texts: ['text'] },
  { table: 'delivery_attempt', key: ['message', 'attempt'], texts: ['reply'] },
  { table: 'message_recipient', key: ['message', 'position'], texts: ['reply'] },
  { table: 'bounce', key: ['id'], texts: ['diagnostic'] },
  { table: 'answered', key: ['who', 'key'], json: ['answer'] },
]

/** Mail to others; what still waits is left as it is, for it is to be sent. */
export const OF_OTHERS: Place = {
  table: 'message',
  key: ['id'],
  texts: ['subject', 'html', 'body', 'last_reply'],
  json: ['sender', 'reply_to', 'digest_row'],
  only: `t.state not in ('queued', 'sending', 'held')`,
}

/** Tables that say by whom something was done. */
export const DONE_BY: readonly string[] = ['stay', 'press', 'crossing', 'bulk', 'trial', 'change_json']

/** As the arguments of a statement: `$1` what is near, `$2` what it is, `$3` what is put there. */
export const asArguments = ({ near, patterns, instead }: Mentions): unknown[] => [near, patterns, instead]

/** Whether a text or JSON column may speak of somebody, as SQL. */
const isNear = (column: string) => `${column}::text ~ any($1)`

/** A column without what it says of somebody, as SQL. */
export const without = (column: string): string => `rappel.without_mentions(${column}, $2, $3)`

/** Whether a column speaks of somebody, as SQL: what is far from it is not read on. */
export const speaks = (column: string): string => `(${isNear(column)} and ${without(column)} is distinct from ${column})`

const columnsOf = ({ texts = [], json = [] }: Place) => [...texts, ...json].map((name) => `t.${name}`)

/** Whether a row `t` of a place speaks of somebody, as SQL. */
export const rowSpeaks = (place: Place): string => `(${columnsOf(place).map(speaks).join(' or ')})`

/** Takes out of a place what it says of somebody; in how many rows. */
export function eraseFrom(db: Queryable, place: Place, mentions: Mentions): Promise<number> {
  const columns = [...(place.texts ?? []), ...(place.json ?? [])]
  const near = columnsOf(place).map(isNear).join(' or ')
  return touch(
    db,
    `update rappel.${place.table} t set ${columns.map((name) => `${name} = n.${name}`).join(', ')}
       from (select ${place.key.map((name) => `t.${name} as key_${name}`).join(', ')}, ${columns.map((name) => `${without(`t.${name}`)} as ${name}`).join(', ')}
               from rappel.${place.table} t where (${near})${place.only ? ` and ${place.only}` : ''}) n
      where ${place.key.map((name) => `t.${name} = n.key_${name}`).join(' and ')}
        and (${columns.map((name) => `t.${name} is distinct from n.${name}`).join(' or ')})`,
    asArguments(mentions),
  )
}
