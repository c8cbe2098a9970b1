import type { Figure } from '@/core/document/figure'
import { labelOf } from '@/core/figures/label'
import { lineWords } from '@/core/figures/words'
import type { Beyond } from '@/store/figures/check'
import Link from '../parts/link'
import { Time } from '../parts/time'
import { counted } from './summary'

/** Figures that are beyond a threshold now, and those that the nightly check had to put right. */
export function FiguresToday({
  figures,
  beyond,
  nearing,
  drifts,
}: {
  figures: readonly Pick<Figure, 'name' | 'label' | 'thresholds'>[]
  beyond: readonly Beyond[]
  /** The groups that are nearest to a threshold, ready to be shown. */
  nearing: readonly { readonly name: string; readonly threshold: string; readonly group: string; readonly value: string }[]
  drifts: readonly { readonly name: string; readonly at: string; readonly differing: number }[]
}) {
  if (beyond.length + nearing.length + drifts.length === 0) return null
  const figure = (name: string) => figures.find((f) => f.name === name)
  const called = (name: string) => {
    const known = figure(name)
    return known ? labelOf(known) : name
  }
  return (
    <section aria-label="Figures beyond their threshold" className="mb-6">
      <h2 className="mb-1 font-semibold text-rope text-xs uppercase tracking-wide">Beyond their threshold</h2>
      <ul>
        {beyond.map((b) => {
          const threshold = figure(b.name)?.thresholds?.find((t) => t.name === b.threshold)
          return (
            <li key={`${b.name} ${b.threshold}`} className="flex items-baseline gap-4 border-rule border-t py-1">
              <Link href={`/figures/${b.name}`} className="text-ink">
                {called(b.name)}
              </Link>
              <span className="text-muted text-sm">
                {threshold && `${threshold.when} ${lineWords(threshold)}`}
                {b.all === 1 ? '' : `, in ${counted(b.groups, 'group')}`}
              </span>
            </li>
          )
        })}
        {nearing.map((n) => {
          const threshold = figure(n.name)?.thresholds?.find((t) => t.name === n.threshold)
          return (
            <li key={`near ${n.name} ${n.threshold}`} className="flex items-baseline gap-4 border-rule border-t py-1 text-muted">
              <Link href={`/figures/${n.name}`} className="text-muted">
                {called(n.name)}
              </Link>
              <span className="text-sm">
                near: {n.group && `${n.group}, `}
                {n.value}
                {threshold && `, alerts ${threshold.when} ${lineWords(threshold)}`}
              </span>
            </li>
          )
        })}
        {drifts.map((d) => (
          <li key={`${d.name} ${d.at}`} className="border-rule border-t py-1 text-sm">
            <Link href={`/figures/${d.name}`}>{called(d.name)}</Link> was not what its table said and was put right <Time at={d.at} />: {counted(d.differing, 'part')} differed.
          </li>
        ))}
      </ul>
    </section>
  )
}
