'use client'

import { useQuery } from '@tanstack/react-query'
import { labelOf } from '@/core/figures/label'
import { type Image, idOf, type RecordId, type Stored, type TableDef } from '@/core/values/tables'
import type { FoundAnswer } from '@/engine/answers/lines'
import type { Deed } from '@/engine/answers/press'
import { call } from '../api'
import { useDeeds } from '../by-hand/deeds'
import type { PersonChoice } from '../records/values'
import { counted } from '../today/summary'

/** A workflow that can be run by hand from the palette, and what it would be run for. */
export interface DeedOffer {
  readonly key: string
  readonly words: string
  /** Finds the records that are meant, and who there is. */
  readonly begin: () => Promise<Pressing>
}

/** What a sheet is opened with. */
export interface Pressing {
  readonly deed: Deed
  readonly records: readonly RecordId[]
  readonly groups?: readonly Stored[]
  readonly said: string
  readonly people: readonly PersonChoice[]
}

const MOST = 1_000
const OFFERED = 4

/** A text taken apart at its "for": what is to be done, and for what. */
function asked(text: string): { deed: string; about: string } {
  const [deed = '', ...about] = text.split(/\bfor\b/i)
  return { deed: deed.trim().toLowerCase(), about: about.join('for').trim() }
}

/** The deeds that a text may mean: "Word to passengers for SA-1204" runs for the bookings of that sailing. */
export function useDeedOffers(text: string, open: boolean): readonly DeedOffer[] {
  const deeds = useDeeds(null, open)
  const { deed: wanted, about } = asked(text)
  const named = wanted.length < 2 ? [] : deeds.filter((d) => d.workflow.toLowerCase().includes(wanted))
  const { data: found = [] } = useQuery({
    queryKey: ['find', about],
    queryFn: async ({ signal }) => (await call<{ found: FoundAnswer[] }>('GET', `/api/v1/find?text=${encodeURIComponent(about)}`, undefined, signal)).found,
    enabled: open && named.length > 0 && about.length >= 2,
  })
  return named.flatMap((deed): DeedOffer[] => {
    if (deed.per === 'none') return [{ key: deed.workflow, words: deed.workflow, begin: async () => ({ deed, records: [], said: 'Without a record', people: await everybody() }) }]
    if (deed.per === 'group')
      return [{ key: deed.workflow, words: `${deed.workflow}, for every group of ${labelOf({ name: deed.over ?? '' }).toLowerCase()}`, begin: () => pressingForGroups(deed) }]
    if (about.length < 2)
      return [{ key: deed.workflow, words: `${deed.workflow} for …`, begin: () => Promise.reject(new Error(`For which? Type “${deed.workflow} for” and the name of a record.`)) }]
    return found
      .flatMap((f) => {
        const [, table, id] = /^\/records\/(\w+)\/([^/]+)$/.exec(f.href) ?? []
        return table && id ? [{ title: f.title, table, id: decodeURIComponent(id) }] : []
      })
      .slice(0, OFFERED)
      .map((record) => ({ key: `${deed.workflow} ${record.table} ${record.id}`, words: `${deed.workflow} for ${record.title}`, begin: () => pressingFor(deed, record) }))
  })
}

/** Every group that the deed's figure has. */
async function pressingForGroups(deed: Deed): Promise<Pressing> {
  const { groups } = await call<{ groups: { group: Stored }[] }>('GET', `/api/v1/figures/${encodeURIComponent(deed.over ?? '')}`)
  return { deed, records: [], groups: groups.map((g) => g.group), said: `For ${counted(groups.length, 'group')}`, people: await everybody() }
}

/** The record itself, or the records of the deed's table that point at it. @throws Error where nothing points at it */
async function pressingFor(deed: Deed, { table, id, title }: { table: string; id: RecordId; title: string }): Promise<Pressing> {
  const people = await everybody()
  if (table === deed.table) return { deed, records: [id], said: `For ${title}`, people }
  const own = await call<TableDef>('GET', `/api/v1/tables/${deed.table}`)
  const link = own.fields.find((f) => f.type === 'link' && f.table === table)
  if (!link) throw new Error(`${deed.workflow} is run for ${own.label.toLowerCase()}; ${title} is none, and none points at it.`)
  const where = encodeURIComponent(JSON.stringify({ field: link.name, op: 'is', value: id }))
  const { records } = await call<{ records: Image[] }>('GET', `/api/v1/records/${deed.table}?limit=${MOST}&order=id&where=${where}`)
  if (records.length === 0) throw new Error(`${title} has no ${own.label.toLowerCase()}.`)
  return { deed, records: records.map(idOf), said: `For ${counted(records.length, own.singular.replaceAll('_', ' '), own.label.toLowerCase())} of ${title}`, people }
}

const everybody = async () => (await call<{ people: PersonChoice[] }>('GET', '/api/v1/people')).people
