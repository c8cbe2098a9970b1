import type { Change } from '@/core/changes/change'
import { type Need, needKey } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import { type CompiledWorkflow, evaluateOrNeed } from '@/core/workflow/evaluate'
import { listAt, teamAt } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import { endsOfTransactions, historyOf, type PastImage } from '@/store/history'
import { type Loading, loadNeeds } from '@/store/lookups'
import { readRecords } from '@/store/records'
import type { Settled } from '../settle'

const MAX_ROUNDS = 200

/**
 * Reads linked data as it stood at many moments: each record's history is read once and looked up in memory; lists and teams are read
 * for each moment. Groups, suppressed addresses and files are those of now.
 */
export class Past {
  private readonly histories = new Map<string, readonly PastImage[]>()
  private readonly live = new Map<string, Image | null>()
  private readonly moments = new Map<string, unknown>()
  private readonly shared = new Map<string, unknown>()
  private readonly ends = new Map<string, number>()

  constructor(
    private readonly db: Queryable,
    private readonly loading: Loading,
  ) {}

  /** Evaluates a workflow over recorded changes, each with linked data as it stood at the end of its transaction. Answers in their order. */
  async settle(compiled: CompiledWorkflow, changes: readonly Change[], explain: boolean): Promise<Settled[]> {
    const settled = new Array<Settled>(changes.length)
    let open = changes.map((change, i) => ({ change, i, loaded: new Map<string, unknown>() }))
    for (let round = 0; open.length > 0; round++) {
      if (round === MAX_ROUNDS) throw new Error('An evaluation kept asking for more data and was stopped.')
      const asked: { change: Change; loaded: Map<string, unknown>; needs: readonly Need[] }[] = []
      open = open.filter(({ change, i, loaded }) => {
        const outcome = this.attempt(compiled, change, loaded, explain)
        if (!('needs' in outcome)) {
          settled[i] = outcome
          return false
        }
        asked.push({ change, loaded, needs: outcome.needs })
        return true
      })
      if (asked.length > 0) await this.load(asked)
    }
    return settled
  }

  private attempt(compiled: CompiledWorkflow, change: Change, loaded: Map<string, unknown>, explain: boolean): Settled | { needs: readonly Need[] } {
    try {
      return evaluateOrNeed(compiled, change, loaded, explain)
    } catch (error) {
      return { fault: error instanceof Error ? error.message : String(error) }
    }
  }

  private async load(asked: readonly { change: Change; loaded: Map<string, unknown>; needs: readonly Need[] }[]): Promise<void> {
    const unknown = asked.map((a) => a.change).filter((c) => !this.ends.has(c.transaction))
    for (const [transaction, end] of await endsOfTransactions(this.db, unknown)) this.ends.set(transaction, end)
    const needs = asked.flatMap((a) => a.needs)
    await this.readHistories(needs)
    const asNow = needs.filter((n) => !['record', 'list', 'team'].includes(n.kind))
    await loadNeeds(this.db, asNow, this.shared, this.loading)
    for (const { change, loaded, needs: own } of asked) for (const need of own) loaded.set(needKey(need), await this.resolve(need, this.ends.get(change.transaction) ?? change.id))
  }

  private async readHistories(needs: readonly Need[]): Promise<void> {
    const records = needs.filter((n) => n.kind === 'record')
    for (const table of new Set(records.map((n) => n.table))) {
      const ids = [...new Set(records.filter((n) => n.table === table && !this.live.has(`${table} ${n.id}`)).map((n) => n.id))]
      if (ids.length === 0) continue
      const [rows, images] = await Promise.all([historyOf(this.db, table, ids), readRecords(this.db, table, ids)])
      const byRecord = new Map<number, PastImage[]>()
      for (const row of rows) {
        const list = byRecord.get(Number(row.rec))
        if (list) list.push(row)
        else byRecord.set(Number(row.rec), [row])
      }
      for (const id of ids) {
        this.histories.set(`${table} ${id}`, byRecord.get(id) ?? [])
        this.live.set(`${table} ${id}`, images.get(id) ?? null)
      }
    }
  }

  private async resolve(need: Need, position: number): Promise<unknown> {
    if (need.kind === 'record') return imageAt(this.histories.get(`${need.table} ${need.id}`) ?? [], this.live.get(`${need.table} ${need.id}`) ?? null, position)
    if (need.kind !== 'list' && need.kind !== 'team') return this.shared.get(needKey(need))
    const key = `${position} ${needKey(need)}`
    if (!this.moments.has(key)) this.moments.set(key, need.kind === 'list' ? await listAt(this.db, need, this.loading, position) : await teamAt(this.db, need.name, position))
    return this.moments.get(key)
  }
}

/** A record as it stood at a position in the log: after its last change until then; else before the first one since; else as it is, for it never changed. */
export function imageAt(history: readonly PastImage[], live: Image | null, position: number): Image | null {
  let last: PastImage | undefined
  for (const row of history) {
    if (row.id > position) {
      if (last) break
      if (row.kind === 'created') return null
      return row.kind === 'changed' ? { ...row.after, ...row.before } : row.before
    }
    last = row
  }
  return last ? last.after : live
}
