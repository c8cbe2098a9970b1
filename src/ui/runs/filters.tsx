'use client'

import { useRouter } from 'next/navigation'
import { useEffect } from 'react'
import { isDay } from '@/core/values/dates'
import { useAddress } from '../parts/address'
import { Choice, type Option } from '../parts/choice'
import { DateField } from '../parts/date-field'

const ANY = '\u0000any'
const LOOK_EVERY_MS = 5_000

export interface RunsAsked {
  readonly workflow?: string
  readonly table?: string
  readonly state?: string
  readonly record?: string
  readonly day?: string
  readonly to?: string
}

const STATES: readonly Option[] = [{ value: ANY, label: 'in any state' }, ...['done', 'failed', 'waiting', 'stopped'].map((s) => ({ value: s, label: s }))]

/** Filters of the list of runs, which live in the address; and the runs that fit as a file. The list is looked at anew while it is open. */
export function RunFilters({ asked, workflows, tables }: { asked: RunsAsked; workflows: readonly string[]; tables: readonly Option[] }) {
  const { go } = useAddress('/runs', { ...asked })
  const router = useRouter()
  useEffect(() => {
    const timer = setInterval(() => document.visibilityState === 'visible' && router.refresh(), LOOK_EVERY_MS)
    return () => clearInterval(timer)
  }, [router])
  const pick = (name: keyof RunsAsked) => (value: string) => go({ [name]: value === ANY ? '' : value })
  const query = new URLSearchParams(Object.entries(asked).filter((e): e is [string, string] => Boolean(e[1])))
  const exported = (as: string) => `/api/v1/runs/export?${new URLSearchParams([...query, ['as', as]])}`
  return (
    <div className="mb-4 flex flex-wrap items-end gap-x-6 gap-y-2">
      <div className="w-52">
        <Choice
          label="Workflow"
          value={asked.workflow || ANY}
          options={[{ value: ANY, label: 'of any workflow' }, ...workflows.map((w) => ({ value: w, label: w }))]}
          onChange={pick('workflow')}
        />
      </div>
      <div className="w-36">
        <Choice label="State" value={asked.state || ANY} options={STATES} onChange={pick('state')} />
      </div>
      <div className="w-40">
        <Choice label="Table" value={asked.table || ANY} options={[{ value: ANY, label: 'of any table' }, ...tables]} onChange={pick('table')} />
      </div>
      <DateField label="Day" className="blank-line w-28" value={asked.day ?? ''} onChange={(day) => (day === '' || isDay(day)) && go({ day: day })} />
      <form
        className="w-52"
        onSubmit={(e) => {
          e.preventDefault()
          go({ to: String(new FormData(e.currentTarget).get('to') ?? '') })
        }}
      >
        <input key={asked.to} aria-label="Wrote to" name="to" placeholder="that wrote to …, Enter" className="blank-line" defaultValue={asked.to ?? ''} />
      </form>
      {asked.record && (
        <button type="button" className="text-spruce text-sm hover:underline" onClick={() => go({ record: '' })}>
          record {asked.record} ×
        </button>
      )}
      <span className="ml-auto flex gap-4 text-sm">
        <a href={exported('csv')}>As CSV</a>
        <a href={exported('jsonl')}>As JSON lines</a>
      </span>
    </div>
  )
}
