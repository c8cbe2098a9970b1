'use client'

import { THRESHOLD_SIDES, type Threshold } from '@/core/document/figure'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { counted } from '../today/summary'
import { NumberField } from './number-field'
import type { ToldThreshold } from './told'

/** What stands for a number among figures. */
const NUMBER = '—'

/** A threshold: on which side of which number, or of which other figure, when it counts again, and how often it would have alerted. */
export function ThresholdFields({
  threshold,
  figures,
  days,
  isKept,
  onChange,
  onRemove,
  onWorkflow,
}: {
  threshold: ToldThreshold
  /** Other figures that it could be at. */
  figures: readonly { readonly name: string; readonly label: string }[]
  days: number
  isKept: boolean
  onChange: (change: Partial<Threshold>) => void
  onRemove: () => void
  onWorkflow: () => void
}) {
  const { value } = threshold
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <span className="w-24">
          <Choice
            label="Side of the threshold"
            value={threshold.when}
            options={THRESHOLD_SIDES.map((s) => ({ value: s, label: s }))}
            onChange={(when) => onChange({ when, rearm: undefined })}
          />
        </span>
        {typeof value === 'number' ? (
          <span className="w-20">
            <NumberField label={`Threshold ${threshold.name}`} value={value} onChange={(next) => next !== null && onChange({ value: next })} />
          </span>
        ) : null}
        {figures.length > 0 && (
          <span className="w-36">
            <Choice
              label="At a number, or at another figure"
              value={typeof value === 'number' ? NUMBER : value.figure}
              options={[{ value: NUMBER, label: 'a number' }, ...figures.map((f) => ({ value: f.name, label: f.label }))]}
              onChange={(name) => onChange({ value: name === NUMBER ? 0 : { figure: name }, rearm: undefined })}
            />
          </span>
        )}
        <span className="text-muted">again once back past</span>
        <span className="w-24">
          <NumberField
            label="Re-armed at"
            value={threshold.rearm ?? null}
            placeholder={typeof value === 'number' ? String(value) : 'itself'}
            onChange={(rearm) => onChange({ rearm: rearm ?? undefined })}
          />
        </span>
      </div>
      <p className="mt-1 flex items-baseline gap-5">
        <span aria-live="polite" className="font-serif text-lg">
          {counted(threshold.alerts, 'alert')} <span className="text-muted text-sm">in {days} days</span>
        </span>

        <Button onClick={onWorkflow} disabled={!isKept} title={isKept ? undefined : 'Save the figure first'}>
          Make a workflow
        </Button>
        <Button onClick={onRemove}>Take it away</Button>
      </p>
    </>
  )
}
