'use client'

import type { ReactNode } from 'react'
import { type Finding, isToMend } from '@/core/review/review'
import type { Line } from '@/core/words/brief'
import { Statement, spokenLine } from '../brief/sheet'
import Link from '../parts/link'
import type { Against } from './behind'
import { DropPlace, Handle } from './dragging'

interface Props {
  readonly line: Line
  readonly isMovable: boolean
  readonly isChosen: boolean
  readonly isOpen: boolean
  readonly findings: readonly Finding[]
  /** Past changes alive at this line; null where it is not known or the line lets through what came to it. */
  readonly count: number | null
  /** How it stands to the version that is live, where the draft is ahead of one. */
  readonly against: Against | null
  readonly onToggle: () => void
  readonly onChoose: () => void
  /** What can be done with the line as a whole. */
  readonly deeds: ReactNode
  readonly children: ReactNode
}

/** One line of a brief that is edited: its statement, its count, and its editor unfolded under it while it is open. */
export function EditedLine({ line, isMovable, isChosen, isOpen, findings, count, against, onToggle, onChoose, deeds, children }: Props) {
  const look = isOpen ? 'border-rope-mark bg-rope-wash' : isChosen ? 'border-rope-mark' : 'border-transparent hover:bg-sheet'
  return (
    <li data-line={line.path} className="border-rule border-t">
      <DropPlace path={line.path}>
        <div className={`group border-l-3 ${look}`}>
          <div className="grid grid-cols-[1rem_minmax(0,1fr)_auto]">
            {isMovable ? <Handle path={line.path} name={`line ${line.number}`} /> : <span />}
            <button
              type="button"
              data-line-button={line.path}
              aria-expanded={isOpen}
              aria-label={spokenLine(line)}
              onClick={onToggle}
              onFocus={onChoose}
              className="-outline-offset-2 py-2.5 pr-2 text-left"
            >
              <Statement line={line}>
                {against?.mark && (
                  <p className="text-rope text-sm">
                    <span className="role-word pr-2">{against.mark === 'new' ? 'new' : 'live'}</span>
                    {against.mark === 'new' ? 'not in the version that is live' : against.mark}
                  </p>
                )}
              </Statement>
            </button>
            <div className="flex w-16 items-center gap-3 pr-1 md:w-44">
              <span className="figures w-14 text-right font-semibold">
                {count === null ? '' : count.toLocaleString('en-GB')}
                {against?.count != null && against.count !== count && (
                  <span className="block font-normal text-rope text-xs" title="in the version that is live">
                    was {against.count.toLocaleString('en-GB')}
                  </span>
                )}
              </span>
            </div>
          </div>
          {findings.map((f) => (
            <p key={f.path + f.message} className={`pr-4 pb-2 pl-4 md:pr-32 md:pl-[9.25rem] text-sm ${isToMend(f) ? 'text-alarm' : 'text-rope'}`}>
              {f.message}
              {f.changes && (
                <span className="block text-muted text-xs">
                  As at{' '}
                  {f.changes.map((c, i) => (
                    <Link key={c.id} href={`/changes/${c.id}`} className="pr-2">
                      {c.title || `change ${c.id}`}
                      {i < (f.changes?.length ?? 0) - 1 && ','}
                    </Link>
                  ))}
                </span>
              )}
            </p>
          ))}
          {isOpen && (
            <section aria-label={`Editor of line ${line.number}`} className="pr-4 pb-4 pl-4 md:pr-6 md:pl-[9.25rem]">
              {children}
              {deeds}
            </section>
          )}
        </div>
      </DropPlace>
    </li>
  )
}
