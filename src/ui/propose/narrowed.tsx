'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import type { WorkflowAnswer } from '@/engine/answers/workflow'
import type { ToldProposal } from '@/engine/propose'
import { call } from '../api'
import { Button } from '../parts/button'
import { counted } from '../today/summary'
import { withCondition } from './make'
import type { Marks } from './marks'
import type { Past } from './past'

interface Props {
  readonly within: string
  readonly past: Past
  readonly marks: Marks
  readonly proposals: readonly ToldProposal[]
  readonly onTell: (change: number) => void
}

/** Clauses that would keep a workflow from firing for what is marked no, each with how much else would go; one is added to its draft. */
export function NarrowedList({ within, past, marks, proposals, onTell }: Props) {
  const router = useRouter()
  const add = async ({ added }: ToldProposal) => {
    const path = `/api/v1/workflows/${encodeURIComponent(within)}`
    try {
      const { draft, savedAt } = await call<WorkflowAnswer>('GET', path)
      if (added) await call('PUT', path, await withCondition(draft, added, past, marks), undefined, { 'if-match': `"${savedAt}"` })
      toast('The condition is in the draft. What is live goes on as it is until you send the draft live.')
      router.push(`/workflows/${encodeURIComponent(within)}`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <ol aria-label="Conditions to add" className="border-rule border-b">
      {proposals.map((proposal, i) => (
        <li key={proposal.sentence} className="border-rule border-t py-2.5">
          <p className="font-serif text-lg leading-snug">{proposal.sentence}</p>
          <p className="text-muted text-sm">
            {goes(proposal)} It would still have fired {counted(proposal.firings, 'time')}.
          </p>
          <p className="mt-1 flex items-baseline gap-5">
            <Button kind={i === 0 ? 'main' : 'quiet'} onClick={() => void add(proposal)}>
              Add it to the draft
            </Button>
            {proposal.ask !== undefined && <Button onClick={() => onTell(proposal.ask ?? 0)}>What else would go</Button>}
          </p>
        </li>
      ))}
    </ol>
  )
}

function goes({ goes: all = 0, ask }: ToldProposal): string {
  if (ask === undefined) return 'Nothing but what is marked no would go.'
  return `${counted(all, 'firing')} would go, those marked no among them.`
}
