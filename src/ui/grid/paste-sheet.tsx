'use client'

import { useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { Dialog } from 'radix-ui'
import { useEffect, useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import type { FieldDef, TableDef } from '@/core/values/tables'
import type { ToldForecast, ToldImport } from '@/engine/answers/bulk'
import { watch } from '../api'
import { ForecastView } from '../bulk/forecast-view'
import { Quietly } from '../bulk/quietly'
import { deedWords, records } from '../bulk/words'
import { Button } from '../parts/button'
import { TwoSides } from '../parts/two-sides'

/** Cells that were pasted over a grid, as lines of JSON by id. */
export interface Pasted {
  readonly lines: string
  readonly count: number
  readonly fields: readonly FieldDef[]
}

interface Props {
  readonly table: TableDef
  readonly pasted: Pasted
  readonly isAdministrator: boolean
  readonly onClose: () => void
}

/** Pasted cells are written as one: how many at the left, what they set off at the right, and one button that says the numbers. */
export function PasteSheet({ table, pasted, isAdministrator, onClose }: Props) {
  const client = useQueryClient()
  const router = useRouter()
  const [forecast, setForecast] = useState<ToldForecast | null>(null)
  const [fault, setFault] = useState<string | null>(null)
  const [quiet, setQuiet] = useState(false)
  const [busy, setBusy] = useState(false)
  const query = new URLSearchParams({ key: 'id', columns: JSON.stringify(Object.fromEntries(pasted.fields.map((f) => [f.name, f.name]))) }).toString()
  const path = `/api/v1/records/${table.name}`
  useEffect(() => {
    const calledOff = new AbortController()
    watch<ToldForecast>(`${path}/forecast?${query}&partly=true`, new Blob([pasted.lines]), calledOff.signal, () => undefined).then(setForecast, (error: unknown) => {
      if (!calledOff.signal.aborted) setFault(faultOf(error))
    })
    return () => calledOff.abort()
  }, [path, query, pasted])
  const go = async () => {
    setBusy(true)
    try {
      const done = await watch<ToldImport>(
        `${path}/import?${query}&name=Pasted cells${quiet ? '&quiet=true' : ''}`,
        new Blob([pasted.lines]),
        new AbortController().signal,
        () => undefined,
      )
      toast(`${records(done.changed, table)} changed.`, { action: { label: 'See what came of it', onClick: () => router.push(`/bulk/${done.bulk}`) } })
      void client.invalidateQueries({ queryKey: ['rows'] })
      onClose()
    } catch (error) {
      toast.error(`${faultOf(error)} Nothing was written.`)
    } finally {
      setBusy(false)
    }
  }
  const refused = forecast?.refusedCount ?? 0
  return (
    <TwoSides onClose={onClose} className="min-h-[60vh]">
      <form
        className="flex flex-col overflow-y-auto px-7 py-6"
        onSubmit={(event) => {
          event.preventDefault()
          void go()
        }}
      >
        <Dialog.Title className="font-serif text-2xl leading-tight">Paste over {records(pasted.count, table)}</Dialog.Title>
        <p className="mb-4 text-muted">{pasted.fields.map((f) => f.label).join(', ')}: all of them or, where one is refused, none.</p>
        {refused > 0 && (
          <ul role="alert" className="mb-4 border-alarm border-l-4 pl-3 text-sm">
            {forecast?.refused.slice(0, 8).map(({ row, problems }) => (
              <li key={row}>
                Line {row}: {problems.map((p) => p.message).join(' ')}
              </li>
            ))}
          </ul>
        )}
        {forecast && forecast.unchanged > 0 && <p className="text-muted text-sm">{records(forecast.unchanged, table)} have that already.</p>}
        {isAdministrator && <Quietly quiet={quiet} onQuiet={setQuiet} />}
        <div className="mt-6 flex items-center gap-5">
          <Button kind="main" type="submit" autoFocus disabled={busy || !forecast || forecast.changed === 0 || refused > 0}>
            {busy ? 'Writing …' : deedWords('edit', forecast, table, quiet)}
          </Button>
          <Button onClick={onClose}>Not now</Button>
        </div>
      </form>
      <ForecastView forecast={forecast} fault={fault} busy={!forecast && !fault} table={table} quiet={quiet} />
    </TwoSides>
  )
}
