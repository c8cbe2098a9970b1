'use client'

import { useRouter } from 'next/navigation'
import { useEffect } from 'react'
import { isDay } from '@/core/values/dates'
import { useAddress } from '../parts/address'
import { AnyChoice, named } from '../parts/any-choice'
import type { Option } from '../parts/choice'
import { DateField } from '../parts/date-field'

const LOOK_EVERY_MS = 5_000

export interface RunsAsked {
  readonly workflow?: string
  readonly table?: string
  readonly state?: string
  readonly record?: string
  readonly day?: string
  readonly to?: string
}

const STATES = named(['done', 'failed', 'waiting', 'stopped'])

/** Filters of the list of runs, which live in the address; and the runs that fit as a file. The list is looked at anew while it is open. */
export function RunFilters({ asked, workflows, tables }: { asked: RunsAsked; workflows: readonly string[]; tables: readonly Option[] }) {
  const { go } = useAddress('/runs', { ...asked })
  const router = useRouter()
  useEffect(() => {
    const timer = setInterval(() => document.visibilityState === 'visible' && router.refresh(), LOOK_EVERY_MS)
    return () => clearInterval(timer)
  }, [router])
  const pick = (name: keyof RunsAsked) => (value: string) => go({ [name]: value })
  const query = new URLSearchParams(Object.entries(asked).filter((e): e is [string, string] => Boolean(e[1])))
  const exported = (as: string) => `/api/v1/runs/export?${new URLSearchParams([...query, ['as', as]])}`
  return (
    <div className="mb-4 flex flex-wrap items-end gap-x-6 gap-y-2">
      <div className="w-52">
        <AnyChoice label="Workflow" any="of any workflow" options={named(workflows)} value={asked.workflow} onChange={pick('workflow')} />
      </div>
      <div className="w-36">
        <AnyChoice label="State" any="in any state" options={STATES} value={asked.state} onChange={pick('state')} />
      </div>
      <div className="w-40">
        <AnyChoice label="Table" any="of any table" options={tables} value={asked.table} onChange={pick('table')} />
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
