import { recordPath } from '@/core/values/tables'
import type { RunRow } from '@/store/runs'
import Link from '../parts/link'
import { Empty } from '../parts/page'
import { StateMark } from '../parts/state-mark'
import { Time } from '../parts/time'
import { counted } from '../today/summary'
import type { RunsAsked } from './filters'

interface Props {
  readonly runs: readonly (RunRow & { readonly moved: string | null; readonly notices: number })[]
  readonly next: number | null
  readonly filters: RunsAsked
  readonly locale: string
  readonly zone: string
}

/** The columns, and those that are left out where there is little room. */
const COLUMNS = [
  ['Run', 'max-lg:hidden'],
  ['Workflow', ''],
  ['About', ''],
  ['State', 'max-sm:hidden'],
  ['What came of it', 'max-md:hidden'],
  ['What changed', 'max-lg:hidden'],
  ['When', ''],
] as const

/** Runs as rows: which workflow, about what, what came of it, when. */
export function RunList({ runs, next, filters, locale, zone }: Props) {
  if (runs.length === 0)
    return <Empty>No workflow has fired{Object.values(filters).some(Boolean) ? ' that fits these filters' : ' yet. Send one live, then change a record it waits for'}.</Empty>
  const more = new URLSearchParams(Object.entries({ ...filters, after: next?.toString() }).filter((e): e is [string, string] => Boolean(e[1])))
  return (
    <>
      <table className="w-full border-rule border-b text-left">
        <thead>
          <tr className="text-muted text-xs">
            {COLUMNS.map(([h, on]) => (
              <th key={h} scope="col" className={`py-1 pr-4 font-normal ${on}`}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {runs.map((r) => (
            <tr key={r.id} className="border-rule border-t align-baseline hover:bg-sheet">
              <td className="py-1.5 pr-4 max-lg:hidden">
                <Link href={`/runs/${r.id}`} className="font-mono text-xs">
                  {r.id}
                </Link>
              </td>
              <td className="py-1.5 pr-4 lg:whitespace-nowrap">
                <Link href={`/runs/${r.id}`} className="font-semibold text-ink">
                  {r.workflow}
                </Link>
              </td>
              <td className="pr-4 lg:whitespace-nowrap">{r.record === null ? r.title : <Link href={recordPath(r.table, r.record)}>{r.title}</Link>}</td>
              <td className="pr-4 max-sm:hidden">
                <StateMark state={r.state} />
              </td>
              <td className="whitespace-nowrap pr-4 max-md:hidden">
                {r.messages === 0 && r.notices === 0 ? (
                  <span className="text-rope">no mail</span>
                ) : (
                  [...(r.messages ? [counted(r.messages, 'message')] : []), ...(r.notices ? [counted(r.notices, 'notice')] : [])].join(', ')
                )}
              </td>
              <td className="max-w-0 truncate pr-4 text-muted max-lg:hidden" style={{ width: '40%' }} title={r.error ?? r.why}>
                {r.error ?? r.moved ?? r.why}
              </td>
              <td className="whitespace-nowrap text-right text-muted">
                <Time at={r.at} locale={locale} zone={zone} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {next !== null && (
        <p className="py-3">
          <Link href={`/runs?${more}`}>Older runs</Link>
        </p>
      )}
    </>
  )
}
