import Link from '../parts/link'
import { Empty } from '../parts/page'
import { TableHead } from '../parts/table-head'
import { Time } from '../parts/time'

/** Many records written at once, as a list shows it. */
interface ShownBulk {
  readonly id: number
  readonly kind: 'import' | 'edit' | 'delete'
  readonly name: string
  readonly label: string
  readonly by: { readonly name: string }
  readonly quiet: boolean
  readonly at: string
  readonly created: number
  readonly changed: number
  readonly deleted: number
}

/** What was done, in words. */
export const bulkWords = ({ kind, name }: Pick<ShownBulk, 'kind' | 'name'>) =>
  kind === 'import' ? `Import of ${name}` : kind === 'edit' ? `Mass edit of ${name}` : 'Mass deletion'

/** Imports, mass edits and mass deletions with what they came to. */
export function BulkList({ rows }: { rows: readonly ShownBulk[] }) {
  if (rows.length === 0) return <Empty>Nothing was imported, edited or deleted in bulk yet. Open a table under Records for that.</Empty>
  return (
    <table className="w-full text-sm">
      <TableHead columns={['What', 'Table', ['added', 'w-24 text-right'], ['changed', 'w-24 text-right'], ['deleted', 'w-24 text-right'], ['By', 'pl-8'], ['When', 'pl-8']]} />
      <tbody>
        {rows.map((row) => (
          <tr key={row.id} className="border-rule border-t align-baseline">
            <td className="py-1.5">
              <Link href={`/bulk/${row.id}`}>{bulkWords(row)}</Link>
              {row.quiet && <span className="ml-3 text-rope">quietly</span>}
            </td>
            <td>{row.label}</td>
            {[row.created, row.changed, row.deleted].map((n, i) => (
              <td key={i} className="figures text-right">
                {n.toLocaleString('en-GB')}
              </td>
            ))}
            <td className="pl-8">{row.by.name}</td>
            <td className="pl-8 text-muted">
              <Time at={row.at} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
