'use client'

import { useMemo } from 'react'
import { briefOf } from '@/core/words/brief'
import type { ToldProposal } from '@/engine/propose'
import { BriefSheet } from '../brief/sheet'
import { countAt } from '../editor/at-lines'
import { Narrowing } from '../editor/narrowing'
import { wordingOf } from '../editor/setting'
import { Button } from '../parts/button'
import { counted } from '../today/summary'
import { workflowOf } from './make'
import type { Past } from './past'

const INDENT = 16

interface Props {
  readonly past: Past
  readonly proposal: ToldProposal
  readonly isFirst: boolean
  readonly onMake: () => void
  readonly onTell: ((change: number) => void) | null
}

/** What is proposed, as a brief: how many changes are alive at each line, drawn as it narrows. */
export function ProposalBrief({ past, proposal, isFirst, onMake, onTell }: Props) {
  const wording = wordingOf(past.setting)
  const lines = useMemo(() => briefOf(workflowOf(proposal, past.table.name), wording).filter((l) => l.kind !== 'action'), [proposal, past.table, wording])
  const evidence = { cued: proposal.alive['/cue'] ?? 0, alive: proposal.alive, firings: proposal.firings }
  const counts = lines.map((line) => ({ path: line.path, count: countAt(line, lines, evidence, null) }))
  const number = (n: number) => n.toLocaleString(past.organisation.locale)
  return (
    <section aria-label={proposal.sentence} className="mb-7">
      <div className="relative">
        <BriefSheet label={`Proposed: ${proposal.sentence}`}>
          {lines.map((line, i) => (
            <li key={line.path} data-line={line.path} className="grid grid-cols-[minmax(0,1fr)_3.5rem_106px] items-baseline border-rule border-t py-1.5">
              <p className="font-serif leading-snug" style={{ paddingLeft: `${line.depth * INDENT}px` }}>
                {line.role && <span className="role-word pr-2 font-sans text-spruce">{line.role}</span>}
                {line.words}
              </p>
              <span className="pr-2.5 text-right text-sm tabular-nums">{counts[i]?.count === null ? '' : number(counts[i]?.count ?? 0)}</span>
            </li>
          ))}
        </BriefSheet>
        <Narrowing counts={counts} behind={null} most={evidence.cued} />
      </div>
      <p className="mt-1.5 flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <Button kind={isFirst ? 'main' : 'quiet'} onClick={onMake}>
          Make this workflow
        </Button>
        <span className="text-muted text-sm">would have fired {counted(proposal.firings, 'time')} in 30 days</span>
        {onTell && proposal.ask !== undefined && <Button onClick={() => onTell(proposal.ask ?? 0)}>What tells it from the others</Button>}
      </p>
    </section>
  )
}
