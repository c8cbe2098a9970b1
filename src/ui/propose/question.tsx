import type { Change } from '@/core/changes/change'
import { Button } from '../parts/button'
import { Difference } from './difference'
import type { Mark } from './marks'
import type { Past } from './past'

interface Props {
  readonly change: Change
  readonly past: Past
  /** Whether one proposal is left, which its answer would only confirm. */
  readonly isLast: boolean
  readonly onMark: (as: Mark) => void
}

/** The change by whose mark most would be told, to be answered with y or n. */
export function Question({ change, past, isLast, onMark }: Props) {
  return (
    <section aria-label="The next question" className="mb-6 border-rope-mark border-y-2 py-3">
      <h2 className="mb-1 font-serif text-lg">Should this one have told somebody?</h2>
      <Difference change={change} past={past} />
      <p className="mt-2 flex items-baseline gap-5">
        <Button shortcut="y" onClick={() => onMark('yes')}>
          Yes, it should
        </Button>
        <Button shortcut="n" onClick={() => onMark('no')}>
          No, it should not
        </Button>
      </p>
      {isLast && <p className="mt-1 text-muted text-sm">One proposal is left; this would confirm it.</p>}
    </section>
  )
}
