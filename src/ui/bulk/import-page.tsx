'use client'

import { useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import { importable, plainName } from '@/core/bulk/columns'
import type { NamedImport } from '@/core/bulk/named'
import { faultOf } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import type { ToldForecast, ToldImport } from '@/engine/answers/bulk'
import { Refusal, watch } from '../api'
import { Button, ButtonLink } from '../parts/button'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import Link from '../parts/link'
import { Page, Title } from '../parts/page'
import { TableHead } from '../parts/table-head'
import { counted } from '../today/summary'
import { Drop } from './drop'
import { ForecastView } from './forecast-view'
import { KeepImport, NamedImports } from './named-imports'
import { Quietly } from './quietly'
import { deedWords, firstValues, records } from './words'

const NONE = '\u0000none'

/** How a file is imported, as it is chosen. */
interface Ways {
  readonly columns: Readonly<Record<string, string | null>>
  readonly key: string | null
  readonly deleteMissing: boolean
  readonly partly: boolean
  readonly decimal?: string
  readonly dates?: string
}

const BEGUN: Ways = { columns: {}, key: null, deleteMissing: false, partly: false }

const queryOf = ({ columns, key, deleteMissing, partly, decimal, dates }: Ways) =>
  new URLSearchParams({
    columns: JSON.stringify(columns),
    ...(key ? { key } : {}),
    ...(deleteMissing && key ? { deleteMissing: 'true' } : {}),
    ...(partly ? { partly: 'true' } : {}),
    ...(decimal ? { decimal } : {}),
    ...(dates ? { dates } : {}),
  })

/** Imports a file: its columns matched to fields, what is written at the left, what it sets off at the right, one button that says the numbers. */
export function ImportPage({ table, isAdministrator, imports }: { table: TableDef; isAdministrator: boolean; imports: readonly NamedImport[] }) {
  const [file, setFile] = useState<File | null>(null)
  const [ways, setWays] = useState(BEGUN)
  const [quiet, setQuiet] = useState(false)
  const [done, setDone] = useState<ToldImport | null>(null)
  const [named, setNamed] = useState<NamedImport | null>(null)
  const { forecast, fault, busy } = useForecast(table, file, ways)
  const sending = useSending()
  // once it is seen that the file has the title, rows are found by it; the first look asks without
  const title = forecast?.file?.columns.includes(table.titleField) ? table.titleField : null
  // biome-ignore lint/correctness/useExhaustiveDependencies: each file begins anew
  useEffect(() => {
    if (title && !named) setWays((w) => ({ ...w, key: title }))
  }, [title, file])
  const take = (next: File | undefined) => {
    if (!next) return
    setFile(next)
    setWays(named ? waysOf(named) : BEGUN)
    setDone(null)
  }
  const go = async () => {
    if (!file) return
    const query = queryOf(ways)
    query.set('name', named ? `${named.name}: ${file.name}` : file.name)
    if (quiet) query.set('quiet', 'true')
    const result = await sending.send(`/api/v1/records/${table.name}/import?${query}`, file)
    if (result) setDone(result)
  }
  const isIdle = forecast !== null && forecast.created + forecast.changed + forecast.deleted === 0
  const isStopped = forecast !== null && forecast.refusedCount > 0 && !ways.partly
  return (
    <Page margin={<ForecastView forecast={done ? null : forecast} fault={done ? null : fault} busy={busy} table={table} quiet={quiet} inMargin />}>
      <p className="mb-1 text-sm">
        <Link href={`/records/${table.name}`}>{table.label}</Link>
      </p>
      <Title>Import {table.label.toLowerCase()}</Title>
      {done ? (
        <Done done={done} table={table} onAgain={() => setFile(null)} />
      ) : (
        <>
          <Drop
            file={file}
            onFile={take}
            recognised={forecast?.file?.recognised ?? null}
            hint="or drop one here: CSV, an XLSX workbook, or lines of JSON. Its first row holds the headings."
          />
          <NamedImports
            imports={imports}
            chosen={named}
            onChoose={(next) => {
              setNamed(next)
              setWays(next ? waysOf(next) : BEGUN)
              setQuiet(next?.quiet ?? false)
            }}
          />
          {forecast?.file && (
            <form
              onSubmit={(event) => {
                event.preventDefault()
                void go()
              }}
            >
              <Columns table={table} told={forecast.file} onColumn={(heading, field) => setWays((w) => ({ ...w, columns: { ...w.columns, [heading]: field } }))} />
              <HowFound table={table} told={forecast.file} ways={ways} onWays={setWays} />
              <Refused forecast={forecast} partly={ways.partly} onPartly={(partly) => setWays({ ...ways, partly })} />
              {isAdministrator && <Quietly quiet={quiet} onQuiet={setQuiet} />}
              <div className="mt-5 flex items-center gap-5">
                <Button kind="main" type="submit" disabled={busy || sending.busy || isIdle || isStopped}>
                  {sending.busy ? `Importing, ${Math.round(sending.progress * 100)} %` : deedWords('import', forecast, table, quiet)}
                </Button>
                {sending.busy && <Button onClick={sending.callOff}>Call it off</Button>}
              </div>
              <KeepImport key={named?.name ?? ''} name={named?.name ?? ''} body={{ table: table.name, ...ways, quiet }} onKept={setNamed} />
            </form>
          )}
        </>
      )}
    </Page>
  )
}

const waysOf = ({ key, columns, deleteMissing, partly, ways }: NamedImport): Ways => ({ key, columns, deleteMissing, partly, ...ways })

/** Asks anew for the forecast of a file whenever how it is imported changes. */
function useForecast(table: TableDef, file: File | null, ways: Ways) {
  const [state, setState] = useState<{ forecast: ToldForecast | null; fault: string | null; busy: boolean }>({ forecast: null, fault: null, busy: false })
  const query = queryOf({ ...ways, partly: true }).toString()
  useEffect(() => {
    if (!file) return setState({ forecast: null, fault: null, busy: false })
    const calledOff = new AbortController()
    setState((s) => ({ ...s, fault: null, busy: true }))
    watch<ToldForecast>(`/api/v1/records/${table.name}/forecast?${query}`, file, calledOff.signal, () => undefined).then(
      (forecast) => setState({ forecast, fault: null, busy: false }),
      (error: unknown) => !calledOff.signal.aborted && setState({ forecast: null, fault: faultOf(error), busy: false }),
    )
    return () => calledOff.abort()
  }, [table.name, file, query])
  return state
}

/** Sends a file and is told how much of it is written; it can be called off, and then nothing is. */
function useSending() {
  const [state, setState] = useState<{ busy: boolean; progress: number }>({ busy: false, progress: 0 })
  const off = useRef<AbortController | null>(null)
  const send = async (path: string, file: File): Promise<ToldImport | null> => {
    off.current = new AbortController()
    setState({ busy: true, progress: 0 })
    try {
      return await watch<ToldImport>(path, file, off.current.signal, (progress) => setState({ busy: true, progress }))
    } catch (error) {
      if (off.current.signal.aborted) toast('Called off. Nothing was written.')
      else toast.error(error instanceof Refusal ? error.problem.detail : faultOf(error))
      return null
    } finally {
      setState({ busy: false, progress: 0 })
    }
  }
  return { ...state, send, callOff: () => off.current?.abort() }
}

type Told = NonNullable<ToldForecast['file']>

/** Each column of the file with the field it fills and its first values. */
function Columns({ table, told, onColumn }: { table: TableDef; told: Told; onColumn: (heading: string, field: string | null) => void }) {
  const options = [{ value: NONE, label: 'not imported' }, { value: 'id', label: 'Id' }, ...importable(table).map((f) => ({ value: f.name, label: f.label }))]
  return (
    <table className="mb-4 w-full text-sm">
      <TableHead columns={[['In the file', 'w-1/4'], ['Field', 'w-1/4'], 'First values']} />
      <tbody>
        {told.headings.map((heading, i) => (
          <tr key={`${i} ${heading}`} className="border-rule border-t align-baseline">
            <td className="truncate py-1 pr-4 font-semibold">{heading || 'no heading'}</td>
            <td className="pr-6">
              <Choice
                label={`Field for ${heading}`}
                value={told.columns[i] ?? NONE}
                options={options.filter((o) => o.value === NONE || o.value === told.columns[i] || !told.columns.includes(o.value))}
                onChange={(v) => onColumn(heading, v === NONE ? null : v)}
              />
            </td>
            <td className="max-w-0 truncate text-muted">{firstValues(told.first.map((row) => row.cells[i]))}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

const DATES = [
  { value: 'dmy', label: 'day before month' },
  { value: 'mdy', label: 'month before day' },
  { value: 'ymd', label: 'year first' },
] as const
const DECIMALS = [
  { value: '.', label: 'a point' },
  { value: ',', label: 'a comma' },
] as const

/** How rows find their records, and how numbers and dates are read. */
function HowFound({ table, told, ways, onWays }: { table: TableDef; told: Told; ways: Ways; onWays: (ways: Ways) => void }) {
  const fields = importable(table)
  const matched = told.columns.filter((c) => c !== null)
  const keys = [...matched, ...(!matched.includes('id') && told.headings.some((h) => plainName(h) === 'id') ? ['id'] : [])]
  const labelOf = (name: string) => (name === 'id' ? 'Id' : (fields.find((f) => f.name === name)?.label ?? name))
  const types = new Set(fields.filter((f) => matched.includes(f.name)).map((f) => f.type))
  return (
    <div className="mb-4 grid grid-cols-3 gap-6">
      <Labelled
        label="Rows find their records by"
        note={
          ways.key === null
            ? 'Each row adds one.'
            : ways.key === 'id' && table.key !== 'text'
              ? 'Rows that find none are refused; those without one add one.'
              : 'Rows that find none add one.'
        }
      >
        <Choice
          label="Rows find their records by"
          value={ways.key ?? NONE}
          options={[{ value: NONE, label: 'nothing: all are new' }, ...keys.map((c) => ({ value: c, label: labelOf(c) }))]}
          onChange={(v) => onWays({ ...ways, key: v === NONE ? null : v, deleteMissing: v === NONE ? false : ways.deleteMissing })}
        />
      </Labelled>
      {(types.has('number') || types.has('money')) && (
        <Labelled label="Before decimals stands">
          <Choice label="Before decimals stands" value={told.ways.decimal} options={DECIMALS} onChange={(decimal) => onWays({ ...ways, decimal })} />
        </Labelled>
      )}
      {(types.has('date') || types.has('date-time')) && (
        <Labelled label="Dates are written">
          <Choice label="Dates are written" value={told.ways.dates} options={DATES} onChange={(dates) => onWays({ ...ways, dates })} />
        </Labelled>
      )}
      {ways.key !== null && ways.key !== 'id' && (
        <label className="col-span-3 flex items-baseline gap-2">
          <input type="checkbox" className="accent-spruce" checked={ways.deleteMissing} onChange={(e) => onWays({ ...ways, deleteMissing: e.target.checked })} />
          <span>
            Delete {table.label.toLowerCase()} that are not in the file <span className="text-muted text-sm">those with a {labelOf(ways.key).toLowerCase()}</span>
          </span>
        </label>
      )}
    </div>
  )
}

const ROWS_SHOWN = 12

/** Rows that are refused, with why; where the good ones may be taken alone. */
function Refused({
  forecast: { refused, refusedCount },
  partly,
  onPartly,
}: {
  forecast: Pick<ToldForecast, 'refused' | 'refusedCount'>
  partly: boolean
  onPartly?: (partly: boolean) => void
}) {
  if (refusedCount === 0) return null
  return (
    <section aria-label="Refused rows" className="mb-4 border-alarm border-l-3 pl-3">
      <p className="text-alarm">
        {counted(refusedCount, 'row is', 'rows are')} refused{onPartly && !partly ? '. Mend the file, or take the others alone.' : '.'}
      </p>
      <ul className="text-sm">
        {refused.slice(0, ROWS_SHOWN).map(({ row, problems }) => (
          <li key={row}>
            <span className="figures text-muted">Row {row}</span> {problems.map((p) => p.message).join(' ')}
          </li>
        ))}
      </ul>
      {refusedCount > ROWS_SHOWN && <p className="text-muted text-sm">and {counted(refusedCount - ROWS_SHOWN, 'more', 'more')}</p>}
      {onPartly && (
        <label className="mt-1 flex items-baseline gap-2">
          <input type="checkbox" className="accent-spruce" checked={partly} onChange={(e) => onPartly(e.target.checked)} />
          Take the others alone
        </label>
      )}
    </section>
  )
}

/** What an import came to. */
function Done({ done, table, onAgain }: { done: ToldImport; table: TableDef; onAgain: () => void }) {
  const { created, changed, unchanged, deleted, refused, refusedCount } = done
  const parts = [
    created && `${records(created, table)} added`,
    changed && `${changed.toLocaleString('en-GB')} changed`,
    deleted && `${deleted.toLocaleString('en-GB')} deleted`,
    unchanged && `${unchanged.toLocaleString('en-GB')} as they were`,
  ]
  return (
    <>
      <p role="status" className="mb-4 font-serif text-xl">
        {parts.filter((p) => typeof p === 'string').join(', ') || 'Nothing was changed'}.
      </p>
      <Refused forecast={{ refused, refusedCount }} partly />
      <p className="flex items-center gap-5">
        <ButtonLink kind="main" href={`/bulk/${done.bulk}`}>
          See what came of it
        </ButtonLink>
        <ButtonLink href={`/records/${table.name}`}>To the {table.label.toLowerCase()}</ButtonLink>
        <Button onClick={onAgain}>Import another file</Button>
      </p>
    </>
  )
}
