import Link from '../parts/link'

/** The figures that a record counts in now, each with the value of its group. */
export function CountsIn({ figures }: { figures: readonly { readonly name: string; readonly label: string; readonly group: string; readonly value: string }[] }) {
  if (figures.length === 0) return null
  return (
    <p className="mt-3 text-muted text-sm">
      Counts in:{' '}
      {figures.map((f, i) => (
        <span key={f.name}>
          {i > 0 && ', '}
          <Link href={`/figures/${f.name}`}>{f.label}</Link>
          {` (${f.group ? `${f.group}: ` : ''}${f.value})`}
        </span>
      ))}
      .
    </p>
  )
}
