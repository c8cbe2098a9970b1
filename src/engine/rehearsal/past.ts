import type { Change } from '@/core/changes/change'
import { isRelativeToClock } from '@/core/conditions/clause'
import { isExactInSql } from '@/core/conditions/sql'
import { changeOccasion, type Occasion } from '@/core/cues/occasion'
import { must } from '@/core/must'
import { type ListNeed, type Loaded, LoadedLookups, type Lookups, type Need, needKey } from '@/core/paths/lookups'
import { entriesOf, entryTest, ownPart } from '@/core/rehearsal/entries'
import type { Image, RecordId } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { listAt, teamAt } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import { endsOfTransactions, everIn, everLinked, historyOf, type PastImage } from '@/store/history'
import { type Loading, loadNeeds } from '@/store/lookups'
import { readRecords } from '@/store/records'
import { APART, Stopwatch, Turns } from '../apart/patience'
import { evaluateSafely, type Settled, safely } from '../settle'

const MAX_ROUNDS = 200

/** Tables with more records than this are not held in memory for lists over all of them. */
const MOST_RECORDS = 20_000

const listKey = ({ table, link }: ListNeed) => (link ? `${table} ${link.field} ${link.id}` : `${table}`)

const RECORD = 'record '

/** What one evaluation has of what it asks for: what was read for it, and what can be told from what is known already. */
class Recalling implements Loaded {
  private readonly kept = new Map<string, unknown>()

  constructor(private readonly recall: (key: string) => unknown) {}

  has(key: string): boolean {
    if (this.kept.has(key)) return true
    const known = this.recall(key)
    if (known === undefined) return false
    this.kept.set(key, known)
    return true
  }

  get(key: string): unknown {
    return this.kept.get(key)
  }

  keep(key: string, value: unknown): void {
    this.kept.set(key, value)
  }
}

/** When data is wanted of: at the end of a change's transaction, or at a position of the log; days count from `at`. */
interface When {
  readonly at: Date
  readonly change?: Change
  readonly position?: number
}

/** A question about data as it stood. */
export interface Question<T> extends When {
  readonly ask: (lookups: Lookups) => T
}

/** Something to be worked out as data stood. */
interface Item<T> extends When {
  readonly work: (loaded: Recalling) => T
}

/** What has asked for data. */
interface Asking {
  readonly item: When
  readonly loaded: Recalling
  readonly needs: readonly Need[]
}

/**
 * Reads linked data as it stood at many moments: the histories of records, and of those that may be in lists, are read once and looked up in memory;
 * teams are read for each moment. Groups, suppressed addresses and files are those of now.
 */
export class Past {
  private readonly histories = new Map<string, readonly PastImage[]>()
  private readonly live = new Map<string, Image | null>()
  /** Records that may be in a list, by the list; null where there are too many to be held. */
  private readonly candidates = new Map<string, readonly RecordId[] | null>()
  /** The lists that were found at the position that was asked about last. */
  private listings = { position: 0, found: new Map<string, readonly Image[]>() }
  private readonly moments = new Map<string, unknown>()
  private readonly shared = new Map<string, unknown>()
  private readonly ends = new Map<string, number>()
  private readonly stopwatch = new Stopwatch(APART)
  private readonly turns = new Turns()

  constructor(
    private readonly db: Queryable,
    private readonly loading: Loading,
  ) {}

  /** Evaluates a workflow over recorded changes, each with linked data as it stood at the end of its transaction. Answers in their order. */
  settle(compiled: CompiledWorkflow, changes: readonly Change[], explain: boolean): Promise<Settled[]> {
    return this.rounds(changes.map((change) => ({ change, at: change.at, work: (loaded) => evaluateSafely(compiled, changeOccasion(change), loaded, explain, this.stopwatch) })))
  }

  /** Evaluates a workflow on occasions, each with linked data as it stood at a position of the log. Answers in their order. */
  settleAt(compiled: CompiledWorkflow, occasions: readonly { readonly occasion: Occasion; readonly position: number }[], explain: boolean): Promise<Settled[]> {
    return this.rounds(
      occasions.map(({ occasion, position }) => ({ position, at: occasion.at, work: (loaded) => evaluateSafely(compiled, occasion, loaded, explain, this.stopwatch) })),
    )
  }

  /** Answers questions about data as it stood: at the end of a change's transaction, or at a position of the log. A question that cannot be answered answers null. */
  async ask<T>(questions: readonly Question<T>[]): Promise<(T | null)[]> {
    const answers = await this.rounds(
      questions.map(({ ask, ...when }) => ({
        ...when,
        work: (loaded): { answer: T | null } | { needs: readonly Need[] } => {
          const lookups = new LoadedLookups(loaded)
          const answer = safely(this.stopwatch, () => ({ answer: ask(lookups) }))
          if (lookups.lacking()) return { needs: lookups.needs() }
          return 'answer' in answer ? answer : { answer: null }
        },
      })),
    )
    return answers.map(({ answer }) => answer)
  }

  private async rounds<T extends object>(items: readonly Item<T>[]): Promise<Exclude<T, { needs: readonly Need[] }>[]> {
    const done = new Array<Exclude<T, { needs: readonly Need[] }>>(items.length)
    if (this.live.size > 0) await this.readEnds(items.flatMap((item) => item.change ?? []))
    let open = items.map((item, i) => ({ item, i, loaded: new Recalling((key) => this.recall(key, item)) }))
    for (let round = 0; open.length > 0; round++) {
      if (round === MAX_ROUNDS) throw new Error('An evaluation kept asking for more data and was stopped.')
      const asked: (Asking & { i: number })[] = []
      for (const { item, i, loaded } of open) {
        await this.turns.next()
        const outcome = item.work(loaded)
        if ('needs' in outcome) asked.push({ item, loaded, needs: outcome.needs as readonly Need[], i })
        else done[i] = outcome as Exclude<T, { needs: readonly Need[] }>
      }
      open = asked.map(({ i, loaded }) => ({ item: must(items[i]), i, loaded }))
      if (asked.length > 0) await this.load(asked)
    }
    return done
  }

  /** What is known already of a need, by its key, as it stood then; undefined where it has to be read. */
  private recall(key: string, when: When): unknown {
    const record = key.startsWith(RECORD) ? key.slice(RECORD.length) : null
    if (record === null) return this.shared.get(key)
    const position = this.positionOf(when)
    return position !== undefined && this.live.has(record) ? this.imageOf(record, position) : undefined
  }

  private positionOf({ change, position }: When): number | undefined {
    return position ?? (change && this.ends.get(change.transaction))
  }

  private async readEnds(changes: readonly Change[]): Promise<void> {
    const unknown = changes.filter((c) => !this.ends.has(c.transaction))
    for (const [transaction, end] of await endsOfTransactions(this.db, unknown)) this.ends.set(transaction, end)
  }

  private async load(asked: readonly Asking[]): Promise<void> {
    await this.readEnds(asked.flatMap((a) => a.item.change ?? []))
    const needs = asked.flatMap((a) => a.needs)
    await this.readHistories(needs.filter((n) => n.kind === 'record'))
    await this.readCandidates(needs.filter((n) => n.kind === 'list'))
    const asNow = needs.filter((n) => !['record', 'list', 'team'].includes(n.kind))
    await loadNeeds(this.db, asNow, this.shared, this.loading)
    for (const { item, loaded, needs: own } of asked)
      for (const need of own) loaded.keep(needKey(need), await this.resolve(need, this.positionOf(item) ?? item.change?.id ?? 0, item.at))
  }

  /** Finds the records that may be in lists, and reads their histories; lists with conditions that look further are left to be read moment by moment. */
  private async readCandidates(lists: readonly ListNeed[]): Promise<void> {
    for (const need of lists) {
      const key = listKey(need)
      if (this.candidates.has(key)) continue
      const alike = lists.filter((n) => n.table === need.table && n.link?.field === need.link?.field && !this.candidates.has(listKey(n)))
      if (need.link) {
        const targets = [...new Set(alike.map((n) => must(n.link?.id)))]
        for (const [target, ids] of await everLinked(this.db, need.table, need.link.field, targets)) this.candidates.set(`${need.table} ${need.link.field} ${target}`, ids)
      } else this.candidates.set(key, await everIn(this.db, need.table, MOST_RECORDS))
      await this.readHistories(alike.flatMap((n) => (this.candidates.get(listKey(n)) ?? []).map((id) => ({ table: n.table, id }))))
    }
  }

  /** A list as it stood: found once for a position where its conditions do not go by the clock, for many moments may stand at one. */
  private async listed(need: ListNeed, position: number, at: Date): Promise<readonly Image[]> {
    if (need.where && !need.at && isRelativeToClock(need.where)) return this.found(need, position, at)
    if (this.listings.position !== position) this.listings = { position, found: new Map() }
    const key = needKey(need)
    const known = this.listings.found.get(key)
    if (known) return known
    const images = await this.found(need, position, at)
    this.listings.found.set(key, images)
    return images
  }

  private async found(need: ListNeed, position: number, at: Date): Promise<readonly Image[]> {
    const { setting } = this.loading
    const table = setting.schema.get(need.table)
    const ids = this.candidates.get(listKey(need))
    if (!table || !ids) return listAt(this.db, need, this.loading, position, at)
    const images = ids.map((id) => this.recordAt(need.table, id, position)).filter((image) => image !== null)
    if (!need.where || isExactInSql(need.where, table, setting)) return entriesOf(images, need, table, setting, at)
    const { limit, ...whole } = need
    const likely = entriesOf(images, { ...whole, where: ownPart(need.where, table, setting) }, table, setting, at)
    const test = entryTest(need.where, table, setting, at)
    const [met] = await this.ask([{ at, position, ask: (lookups) => likely.filter((image) => test(image, lookups)) }])
    return limit ? (met ?? []).slice(0, limit) : (met ?? [])
  }

  private recordAt(table: string, id: RecordId, position: number): Image | null {
    return this.imageOf(`${table} ${id}`, position)
  }

  private imageOf(record: string, position: number): Image | null {
    return imageAt(this.histories.get(record) ?? [], this.live.get(record) ?? null, position)
  }

  private async readHistories(records: readonly { readonly table: string; readonly id: RecordId }[]): Promise<void> {
    for (const table of new Set(records.map((n) => n.table))) {
      const ids = [...new Set(records.filter((n) => n.table === table && !this.live.has(`${table} ${n.id}`)).map((n) => n.id))]
      if (ids.length === 0) continue
      const [rows, images] = await Promise.all([historyOf(this.db, table, ids), readRecords(this.db, table, ids)])
      const byRecord = new Map<RecordId, PastImage[]>()
      for (const row of rows) {
        const list = byRecord.get(row.rec)
        if (list) list.push(row)
        else byRecord.set(row.rec, [row])
      }
      for (const id of ids) {
        this.histories.set(`${table} ${id}`, byRecord.get(id) ?? [])
        this.live.set(`${table} ${id}`, images.get(String(id)) ?? null)
      }
    }
  }

  private async resolve(need: Need, position: number, at: Date): Promise<unknown> {
    if (need.kind === 'record') return this.recordAt(need.table, need.id, position)
    if (need.kind === 'list') return this.listed(need, position, at)
    if (need.kind !== 'team') return this.shared.get(needKey(need))
    const key = `${position} ${needKey(need)}`
    if (!this.moments.has(key)) this.moments.set(key, await teamAt(this.db, need.name, position))
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
