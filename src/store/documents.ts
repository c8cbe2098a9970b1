import { LRUCache } from 'lru-cache'
import type { Workflow } from '@/core/document/document'
import { many, type Queryable } from './database'

/** A workflow's row without its documents; stamps tell these, the draft and the live one, from all others. */
export interface Stamped {
  readonly id: number
  readonly draft_stamp: string
  readonly live_stamp: string | null
}

export interface Documents {
  readonly draft: Workflow
  readonly live: Workflow | null
}

interface Read extends Stamped, Documents {
  readonly draft_size: number
  readonly live_size: number | null
}

/** Characters of documents that a process keeps. */
const MOST_KEPT = 64_000_000

const kept = new LRUCache<string, Workflow>({ maxSize: MOST_KEPT })

/** What tells a row of a server as it is now from any other, as SQL (PostgreSQL, "System Columns"). */
const stampOf = (row: string) => `${row}.xmin::text || ' ' || ${row}.ctid::text`

/** Workflows `w`, each with its version `v` that is live, where one is. */
export const FROM_WORKFLOWS = 'from rappel.workflow w left join rappel.workflow_version v on v.workflow = w.id and v.version = w.version'

/** Columns of `Stamped`, of these. */
export const STAMPS = `w.id, 'draft ' || w.id || ' ' || ${stampOf('w')} || ' ' || w.draft_saved_at as draft_stamp, case when v.workflow is not null then 'live ' || w.id || ' ' || ${stampOf('v')} || ' ' || v.version end as live_stamp`

/**
 * Rows with their documents: those that this process has read before are not read again, for thousands of them are more than a page may wait for. They are frozen, since whoever asks has the
 * same. A row that is gone meanwhile is left out.
 */
export async function withDocuments<T extends Stamped>(db: Queryable, rows: readonly T[]): Promise<(T & Documents)[]> {
  const known = rows.map((row) => documentsKept(row))
  const missing = rows.filter((_, i) => !known[i])
  const read = new Map((missing.length ? await readDocuments(db, missing) : []).map((one) => [one.id, one]))
  return rows.flatMap((row, i): (T & Documents)[] => {
    const found = known[i] ?? read.get(row.id)
    return found ? [{ ...row, draft: found.draft, live: found.live }] : []
  })
}

function documentsKept({ draft_stamp, live_stamp }: Stamped): Documents | null {
  const [draft, live] = [kept.get(draft_stamp), live_stamp === null ? null : kept.get(live_stamp)]
  return draft && live !== undefined ? { draft, live } : null
}

async function readDocuments(db: Queryable, rows: readonly Stamped[]): Promise<Read[]> {
  const read = await many<Read>(
    db,
    `select ${STAMPS}, w.draft, length(w.draft::text) as draft_size, v.document as live, length(v.document::text) as live_size
       ${FROM_WORKFLOWS} where w.id = any($1)`,
    [rows.map((row) => row.id)],
  )
  for (const { draft, draft_stamp, draft_size, live, live_stamp, live_size } of read) {
    kept.set(draft_stamp, frozen(draft), { size: draft_size })
    if (live && live_stamp && live_size) kept.set(live_stamp, frozen(live), { size: live_size })
  }
  return read
}

/** A value that nobody may change any more, with all that is in it. */
function frozen<T>(value: T): T {
  if (typeof value === 'object' && value !== null) for (const inner of Object.values(Object.freeze(value))) frozen(inner)
  return value
}
