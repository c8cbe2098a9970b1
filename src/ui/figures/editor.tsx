'use client'

import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect, useMemo, useState } from 'react'
import { toast } from 'sonner'
import { useDebounce } from 'use-debounce'
import { type ComputedFigure, type Figure, isComputed, type TableFigure, type Threshold } from '@/core/document/figure'
import { allFigures, tableOfFigure } from '@/core/figures/computed'
import { unitOf } from '@/core/figures/groups'
import { labelOf } from '@/core/figures/label'
import { measureWords, shownValue } from '@/core/figures/words'
import { workflowOfThreshold } from '@/core/figures/workflow'
import { faultOf } from '@/core/must'
import { capital } from '@/core/values/naming'
import type { Organisation, TableDef } from '@/core/values/tables'
import type { Use } from '@/store/design/mentions'
import { call, Refusal } from '../api'
import { GroupDeeds } from '../by-hand/deeds-menu'
import { usesIn } from '../design/deeds'
import { AskedUses } from '../design/use-list'
import { behindWords } from '../parts/behind'
import { Button } from '../parts/button'
import { Confirm } from '../parts/confirm'
import Link from '../parts/link'
import { MarginTitle, Page } from '../parts/page'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { TablesProvider } from '../records/tables-context'
import { useNear } from '../records/use-near'
import type { PersonChoice } from '../records/values'
import { useUnsaved } from '../shell/leaving'
import { GroupTable } from './groups'
import { DefinitionLine, FormulaFields, GroupFields, MeasureFields, UnitFields, WhereFields, WithinFields } from './lines'
import { Picture } from './picture'
import { ThresholdFields } from './thresholds'
import { CrossingTimeline } from './timeline'
import { alertsOf, type PastAnswer } from './told'

const DAYS = 90

/** After a change that long, the past is worked out anew. */
const SOON_MS = 250

interface Props {
  readonly figure: Figure
  /** Whether it is kept already under its name. */
  readonly isKept: boolean
  /** Why it is not kept up any more. */
  readonly broken: string | null
  readonly users: readonly string[]
  readonly tables: Sent<readonly TableDef[]>
  readonly people: Sent<readonly PersonChoice[]>
  readonly organisation: Organisation
  readonly canEdit: boolean
}

/** A figure: its definition as numbered lines, and in the margin its past, worked out as it is written. */
export function FigureEditor({ figure: given, isKept, broken, users, organisation, canEdit, ...sent }: Props) {
  const people = useSent(sent.people)
  const router = useRouter()
  const [figure, setFigure] = useState(given)
  const [held, setHeld] = useState(given)
  const [refusal, setRefusal] = useState<Refusal | null>(null)
  const [chosen, setChosen] = useState(0)
  const [isLeaving, setLeaving] = useState(false)
  const [breaking, setBreaking] = useState<readonly Use[] | null>(null)
  const near = useSent(sent.tables)
  const all = useMemo(() => allFigures(new Map(near.map((t) => [t.name, t]))), [near])
  const of = tableOfFigure(figure, all)
  const { tables, speakOf, reach } = useNear(near)
  useEffect(() => speakOf([figure, of]), [speakOf, figure, of])
  const schema = useMemo(() => new Map(tables.map((t) => [t.name, t])), [tables])
  const others = [...all.values()].filter((f) => f.name !== figure.name).map((f) => ({ name: f.name, label: labelOf(f) }))
  const table = tables.find((t) => t.name === of)
  const own = tables.filter((t) => t.name !== 'person')
  const isEdited = JSON.stringify(figure) !== JSON.stringify(held)
  useUnsaved(isEdited, 'the figure')
  const { basis, past, fault } = usePast(figure)
  const thresholds = (figure.thresholds ?? []).map((t) => ({ ...t, alerts: alertsOf(t, past, basis?.thresholds ?? []) }))
  const set = (change: Partial<TableFigure> | Partial<ComputedFigure>) => {
    setRefusal(null)
    setFigure((old) => ({ ...old, ...change }) as Figure) // each line changes parts of its own kind of figure
  }
  const setThreshold = (place: number, change: Partial<Threshold>) => set({ thresholds: (figure.thresholds ?? []).map((t, i) => (i === place ? { ...t, ...change } : t)) })
  const addThreshold = () => {
    const value = Math.round(Number(past?.lines[0]?.points.at(-1)?.value ?? 0)) + 1
    set({ thresholds: [...(figure.thresholds ?? []), { name: freshName(figure.thresholds ?? []), when: 'above', value }] })
  }
  const problemAt = (path: string) => refusal?.problem.problems?.find((p) => p.path === path || p.path.startsWith(`${path}/`))?.message
  const save = async (anyway = false): Promise<boolean> => {
    const named = isKept ? figure : { ...figure, name: nameFrom(labelOf(figure)) }
    try {
      await call('PUT', `/api/v1/figures/${encodeURIComponent(named.name)}?anyway=${anyway}`, named)
      setHeld(named)
      setFigure(named)
      toast.success('Saved. It is kept up from now on.')
      router.replace(`/figures/${named.name}`)
      router.refresh()
      return true
    } catch (error) {
      const uses = usesIn(error)
      if (uses?.length) {
        setBreaking(uses)
        return false
      }
      if (error instanceof Refusal) setRefusal(error)
      toast.error(faultOf(error))
      return false
    }
  }
  const makeWorkflow = async (threshold: Threshold) => {
    if (!table || (isEdited && !(await save()))) return
    const draft = workflowOfThreshold(figure, threshold, table, schema)
    try {
      await call('PUT', `/api/v1/workflows/${encodeURIComponent(draft.name)}?new`, draft)
      router.push(`/workflows/${encodeURIComponent(draft.name)}`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const remove = async () => {
    try {
      await call('DELETE', `/api/v1/figures/${encodeURIComponent(figure.name)}`)
      setHeld(figure)
      router.push('/figures')
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const shown = (value: number | string | null) => shownValue(unitOf(figure, schema), value, organisation)
  const line = past?.lines[chosen] ?? past?.lines[0]
  return (
    <TablesProvider tables={tables} reach={reach}>
      <Page
        margin={
          <>
            <MarginTitle note={past ? noteOf(past) : fault ? undefined : 'Being worked out from the change log …'}>
              {line?.title ? `${labelOf(figure)}: ${line.title}` : labelOf(figure)}
            </MarginTitle>
            {fault && <p className="text-alarm">{fault}</p>}
            {past && (
              <>
                <p className="figures font-serif text-2xl">{shown(line?.points.at(-1)?.value ?? null)}</p>
                <Picture
                  from={past.from}
                  to={past.to}
                  lines={past.lines}
                  alerts={past.alerts}
                  thresholds={thresholds}
                  chosen={chosen < past.lines.length ? chosen : 0}
                  onMove={canEdit ? (place, value) => setThreshold(place, { value }) : undefined}
                />
                <p className="mb-4 text-muted text-xs">
                  Beside it: how many alerts a threshold at each height would have given.{canEdit && ' Drag a threshold, or move it by the arrow keys.'}
                </p>
                <GroupTable past={past} thresholds={figure.thresholds ?? []} chosen={chosen} onChoose={setChosen} shown={shown} />
                <CrossingTimeline past={past} shown={shown} />
              </>
            )}
          </>
        }
      >
        <p className="mb-1 text-sm">
          <Link href="/figures">Figures</Link>
        </p>
        <input
          aria-label="Name of the figure"
          value={figure.label ?? (isKept ? labelOf(figure) : '')}
          placeholder={table && !isComputed(figure) ? capital(measureWords(figure.of, table)) : 'New figure'}
          disabled={!canEdit}
          onChange={(e) => set({ label: e.target.value })}
          className="w-full border-transparent border-b bg-transparent font-serif text-2xl tracking-tight outline-none hover:border-rule focus:border-rope-mark"
        />
        <p className="mt-1 mb-5 flex flex-wrap items-center gap-x-6 gap-y-2 text-sm">
          <span className="text-muted">{isKept ? (isEdited ? 'Not saved yet' : 'Kept up as records change') : 'Not kept yet'}</span>
          <span className="text-muted">
            {users.map((name, i) => (
              <span key={name}>
                {i === 0 ? 'Waited for by ' : ', '}
                <Link href={`/workflows/${encodeURIComponent(name)}`}>{name}</Link>
              </span>
            ))}
          </span>
          {canEdit && (
            <span className="ml-auto flex items-center gap-5">
              {isKept && (
                <Button kind="alarm" onClick={() => setLeaving(true)}>
                  Delete
                </Button>
              )}
              <Button kind="main" onClick={() => void save()} disabled={isKept && !isEdited}>
                Save
              </Button>
            </span>
          )}
        </p>
        <Confirm open={isLeaving} setOpen={setLeaving} title={`Delete ${labelOf(figure)}?`} deed="Delete it" leave="Keep it" kind="alarm" onDeed={() => void remove()}>
          Its crossings go with it; the records stay as they are.
        </Confirm>
        <Confirm
          open={breaking !== null}
          setOpen={(open) => !open && setBreaking(null)}
          title="Save it all the same?"
          deed="Save it, and break those"
          leave="Leave it"
          kind="alarm"
          onDeed={() => void save(true)}
          before={breaking && <AskedUses uses={breaking} />}
        >
          These are live and wait for it as it was: they could not do what they say any more. Today says so until they, or it, are mended.
        </Confirm>
        {broken && (
          <p role="alert" className="mb-4 border-alarm border-l-4 pl-3">
            It is not kept up any more: {broken} Mend its definition or its table.
          </p>
        )}
        <fieldset disabled={!canEdit} className="border-rule border-b">
          {isComputed(figure) ? (
            <>
              <DefinitionLine number={1} part="formula" fault={problemAt('/formula')}>
                <FormulaFields figure={figure} figures={others} onChange={set} />
              </DefinitionLine>
              <DefinitionLine number={2} part="shown as">
                <UnitFields figure={figure} onChange={set} />
              </DefinitionLine>
            </>
          ) : (
            table && (
              <>
                <DefinitionLine number={1} part="of" fault={problemAt('/of') ?? problemAt('/table')}>
                  <MeasureFields figure={figure} table={table} tables={own} onChange={set} />
                </DefinitionLine>
                <DefinitionLine number={2} part="where" fault={problemAt('/where')}>
                  <WhereFields figure={figure} table={table} people={people} onChange={set} />
                </DefinitionLine>
                <DefinitionLine number={3} part="by" fault={problemAt('/by')}>
                  <GroupFields figure={figure} table={table} tables={tables} onChange={set} />
                </DefinitionLine>
                <DefinitionLine number={4} part="within" fault={problemAt('/within')}>
                  <WithinFields figure={figure} table={table} onChange={set} />
                </DefinitionLine>
              </>
            )
          )}
          {thresholds.map((threshold, i) => (
            <DefinitionLine key={threshold.name} number={(isComputed(figure) ? 3 : 5) + i} part="threshold" fault={problemAt(`/thresholds/${i}`)}>
              <ThresholdFields
                threshold={threshold}
                figures={others}
                days={DAYS}
                isKept={isKept}
                onChange={(change) => setThreshold(i, change)}
                onRemove={() => set({ thresholds: (figure.thresholds ?? []).filter((_, n) => n !== i) })}
                onWorkflow={() => void makeWorkflow(threshold)}
              />
            </DefinitionLine>
          ))}
          {canEdit && (
            <p className="flex gap-6 border-rule border-t py-2.5 pl-11">
              <Button onClick={addThreshold}>Draw a threshold</Button>
              {!isKept && others.length > 0 && (
                <Button onClick={() => setFigure(isComputed(figure) ? recordsOf(figure, own[0]?.name ?? '') : formulaOf(figure))}>
                  {isComputed(figure) ? 'Work it out from records' : 'Work it out from other figures'}
                </Button>
              )}
            </p>
          )}
        </fieldset>
        {isKept && (
          <p className="mt-4 flex flex-wrap gap-x-5">
            <GroupDeeds
              figure={figure.name}
              groups={(past?.lines ?? []).map((l) => l.group)}
              said={`For ${past && past.lines.length > 1 ? `the ${past.lines.length} groups of` : ''} ${labelOf(figure)}`}
              people={people}
            />
          </p>
        )}
      </Page>
    </TablesProvider>
  )
}

/** The past of a draft, worked out anew a moment after it was changed; the one before is shown until then. */
function usePast(figure: Figure): { basis: Figure | null; past: PastAnswer | null; fault: string | null } {
  const [asked] = useDebounce(figure, SOON_MS)
  const { data, error } = useQuery({
    queryKey: ['figure past', JSON.stringify({ ...asked, name: '', label: '', note: '' })],
    queryFn: async ({ signal }) => ({
      basis: asked,
      past: await call<PastAnswer>('POST', '/api/v1/figures/rehearse', { figure: { ...asked, name: asked.name || 'draft' }, days: DAYS }, signal),
    }),
    placeholderData: (before) => before,
    retry: false,
  })
  return { basis: data?.basis ?? null, past: data?.past ?? null, fault: error ? faultOf(error) : null }
}

/** A figure begun anew over records, or from other figures, with its words and thresholds. */
const recordsOf = ({ rappel, name, label, note, thresholds }: Figure, table: string): Figure => ({
  rappel,
  name,
  ...(label ? { label } : {}),
  ...(note ? { note } : {}),
  ...(thresholds ? { thresholds } : {}),
  table,
  of: { count: true },
})

const formulaOf = (figure: Figure): Figure => {
  const { rappel, name, label, note, thresholds } = figure
  return { rappel, name, ...(label ? { label } : {}), ...(note ? { note } : {}), ...(thresholds ? { thresholds } : {}), formula: '' }
}

function noteOf({ groups, from, isCut, behind }: PastAnswer): string {
  const since = isCut ? `since ${new Date(from).toLocaleDateString('en-GB')}, before which there is too much to look at` : `over the last ${DAYS} days`
  const said = behindWords(behind)
  return `${groups > 1 ? `${groups} groups, ` : ''}worked out from the change log ${since}${said === null ? '' : `. ${said}`}`
}

/** A name for a figure that can stand in formulas and paths. */
const nameFrom = (label: string) =>
  label
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[^a-z]+|_+$/g, '')
    .slice(0, 59) || 'figure'

function freshName(thresholds: readonly Threshold[]): string {
  for (let i = thresholds.length + 1; ; i++) {
    const name = i === 1 ? 'limit' : `limit ${i}`
    if (!thresholds.some((t) => t.name === name)) return name
  }
}
