import { scaleSqrt } from 'd3'
import type { LoadOf } from '@/core/limits/load'
import Link from '../parts/link'
import { counted } from '../today/summary'

/** Rows and columns that are drawn. */
const MOST_ROWS = 40
const MOST_COLUMNS = 14

const WIDTH = 46
const RADIUS = 17

/** A matrix of people and groups by workflows: each mark as large as the mail, each row with what of it came again within the hour; what drafts would have sent stands dashed. */
export function WhoGetsWhat({ rows, drafts }: { rows: readonly LoadOf[]; drafts: readonly string[] }) {
  const totals = new Map<string, number>()
  for (const { byWorkflow } of rows) for (const [name, mails] of byWorkflow) totals.set(name, (totals.get(name) ?? 0) + mails)
  const isDraft = (name: string) => drafts.includes(name)
  const workflows = [...totals].sort((a, b) => Number(isDraft(b[0])) - Number(isDraft(a[0])) || b[1] - a[1]).map(([name]) => name)
  const columns = workflows.slice(0, MOST_COLUMNS)
  const size = scaleSqrt()
    .domain([0, Math.max(1, ...rows.flatMap((r) => [...r.byWorkflow.values()]))])
    .range([0, RADIUS])
  return (
    <>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls in itself is reached by key */}
      <section aria-label="Who gets what, as a table" tabIndex={0} className="mt-6 overflow-x-auto">
        <table className="text-sm">
          <thead>
            <tr className="align-bottom">
              <th scope="col" className="pr-6 pb-2 text-left font-normal text-muted text-xs">
                Recipient
              </th>
              <th scope="col" className="pr-4 pb-2 text-right font-normal text-muted text-xs">
                mail
              </th>
              {columns.map((name) => (
                <th key={name} scope="col" style={{ width: WIDTH }} className="relative h-36 p-0 font-normal">
                  <Link
                    href={`/workflows/${encodeURIComponent(name.replace(/, as edited$/, ''))}`}
                    title={isDraft(name) ? `${name} (draft, rehearsed)` : name}
                    className="absolute bottom-2 left-6 block w-40 origin-bottom-left -rotate-55 truncate text-left text-ink text-xs no-underline hover:underline"
                  >
                    {isDraft(name) ? <i>{name}</i> : name}
                  </Link>
                </th>
              ))}
              <th scope="col" className="pb-2 pl-24 text-left font-normal text-muted text-xs">
                about the same record within an hour
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, MOST_ROWS).map((row) => (
              <tr key={row.key} className="border-rule border-t">
                <th scope="row" className="max-w-56 truncate py-0.5 pr-6 text-left font-normal" title={row.address ?? row.name}>
                  <RowName row={row} />
                </th>
                <td className="figures pr-4 text-right font-semibold">{row.mails.toLocaleString('en-GB')}</td>
                {columns.map((name) => (
                  <td key={name} className="p-0 text-center">
                    <Mark row={row} workflow={name} radius={size(row.byWorkflow.get(name) ?? 0)} isDraft={isDraft(name)} />
                  </td>
                ))}
                <td className="pl-24 text-muted">
                  {row.again > 0 && (
                    <>
                      <b className={`figures font-semibold ${row.again * 4 > row.mails ? 'text-rope' : 'text-ink'}`}>{row.again.toLocaleString('en-GB')}</b> of{' '}
                      {row.mails.toLocaleString('en-GB')}
                      {row.address && (
                        <Link href={`/people/${encodeURIComponent(row.address)}`} className="ml-4">
                          lessen it
                        </Link>
                      )}
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <p className="mt-3 text-muted text-sm">
        {rows.length > MOST_ROWS && `${rows.length - MOST_ROWS} rows with less mail are left out. `}
        {workflows.length > columns.length && `${workflows.length - columns.length} workflows with less mail are left out. `}A mark opens its mail; dashed ones are what a draft
        would have sent. A name opens what somebody gets, and what would halve it.
      </p>
    </>
  )
}

function RowName({ row: { kind, name, address } }: { row: LoadOf }) {
  if (kind === 'group')
    return (
      <Link href="/people" className="text-ink">
        {name} <span className="text-muted text-xs">group</span>
      </Link>
    )
  return address ? (
    <Link href={`/people/${encodeURIComponent(address)}`} className="text-ink">
      {name}
    </Link>
  ) : (
    name
  )
}

function Mark({ row, workflow, radius, isDraft }: { row: LoadOf; workflow: string; radius: number; isDraft: boolean }) {
  const mails = row.byWorkflow.get(workflow)
  if (!mails) return null
  const mark = (
    <svg aria-hidden="true" width={2 * RADIUS} height={2 * RADIUS} viewBox={`${-RADIUS} ${-RADIUS} ${2 * RADIUS} ${2 * RADIUS}`} className="inline-block align-middle">
      <circle
        r={Math.max(2, radius)}
        className={isDraft ? 'fill-sheet stroke-rope' : 'fill-spruce-wash stroke-spruce'}
        strokeWidth={1.5}
        strokeDasharray={isDraft ? '3 3' : undefined}
      />
      {radius > 8 && (
        <text textAnchor="middle" dy="0.35em" className="figures fill-ink text-[11px]">
          {mails}
        </text>
      )}
    </svg>
  )
  const said = `${counted(mails, 'mail')} of “${workflow}” to ${row.name}${isDraft ? ', if it had been live' : ''}`
  if (isDraft)
    return (
      <span role="img" aria-label={said} title={said}>
        {mark}
      </span>
    )
  return (
    <Link href={`/messages?workflow=${encodeURIComponent(workflow)}${row.address ? `&text=${encodeURIComponent(row.address)}` : ''}`} aria-label={said} title={said}>
      {mark}
    </Link>
  )
}
