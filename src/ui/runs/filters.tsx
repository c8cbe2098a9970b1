'use client'

import { useRouter } from 'next/navigation'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'

const ANY = 'any'

/** Filters of the list of runs; they live in the address. */
export function RunFilters({ workflows, workflow, state }: { workflows: readonly string[]; workflow: string | null; state: string | null }) {
  const router = useRouter()
  const go = (next: { workflow: string | null; state: string | null }) => {
    const query = new URLSearchParams()
    if (next.workflow) query.set('workflow', next.workflow)
    if (next.state) query.set('state', next.state)
    router.push(`/runs${query.size ? `?${query}` : ''}`)
  }
  const pick = (value: string) => (value === ANY ? null : value)
  return (
    <div className="mb-4 flex max-w-xl gap-8">
      <Labelled label="Workflow" className="w-64">
        <Choice
          label="Workflow"
          value={workflow ?? ANY}
          options={[{ value: ANY, label: 'All workflows' }, ...workflows.map((w) => ({ value: w, label: w }))]}
          onChange={(v) => go({ workflow: pick(v), state })}
        />
      </Labelled>
      <Labelled label="State" className="w-40">
        <Choice
          label="State"
          value={state ?? ANY}
          options={[
            { value: ANY, label: 'Any state' },
            { value: 'done', label: 'Done' },
            { value: 'failed', label: 'Failed' },
          ]}
          onChange={(v) => go({ workflow, state: pick(v) })}
        />
      </Labelled>
    </div>
  )
}
