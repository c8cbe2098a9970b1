'use client'

import { THRESHOLD_SIDES, type Threshold } from '@/core/document/figure'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { counted } from '../today/summary'
import { NumberField } from './number-field'
import type { ToldThreshold } from './told'

/** A threshold: on which side of which number, when it counts again, and how often it would have alerted. */
export function ThresholdFields({
  threshold,
  days,
  isKept,
  onChange,
  onRemove,
  onWorkflow,
}: {
  threshold: ToldThreshold
  days: number
  isKept: boolean
  onChange: (change: Partial<Threshold>) => void
  onRemove: () => void
  onWorkflow: () => void
}) {
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <span className="w-28">
          <Choice
            label="Side of the threshold"
            value={threshold.when}
            options={THRESHOLD_SIDES.map((s) => ({ value: s, label: s }))}
            onChange={(when) => onChange({ when, rearm: undefined })}
          />
        </span>
        <span className="w-24">
          <NumberField label={`Threshold ${threshold.name}`} value={threshold.value} onChange={(value) => value !== null && onChange({ value })} />
        </span>
        <span className="text-muted">again once back past</span>
        <span className="w-24">
          <NumberField label="Re-armed at" value={threshold.rearm ?? null} placeholder={String(threshold.value)} onChange={(rearm) => onChange({ rearm: rearm ?? undefined })} />
        </span>
        <span aria-live="polite" className="font-serif text-lg">
          {counted(threshold.alerts, 'alert')} <span className="text-muted text-sm">in {days} days</span>
        </span>
      </div>
      <p className="mt-1 flex gap-5">
        <Button onClick={onWorkflow} disabled={!isKept} title={isKept ? undefined : 'Save the figure first'}>
          Make a workflow
        </Button>
        <Button onClick={onRemove}>Take it away</Button>
      </p>
    </>
  )
}
