'use client'

import { useState } from 'react'
import type { Finding } from '@/core/review/review'
import type { ShownExample } from '../examples/panel'
import { Confirm } from '../parts/confirm'
import { counted } from '../today/summary'
import type { ShownRehearsal } from './rehearsing'
import type { Standing } from './standing'

interface Props {
  readonly open: boolean
  readonly setOpen: (open: boolean) => void
  readonly standing: Standing
  readonly failing: readonly ShownExample[]
  /** What the review and the past warn of. */
  readonly warnings: readonly Finding[]
  /** What it would have done in the past; null while that is not worked out. */
  readonly past: ShownRehearsal | null
  readonly days: number
  readonly onLive: (overrule: string | undefined) => void
}

/** What a draft would have done in the past, in a sentence. */
function pastWords({ firings, messages, nobody }: ShownRehearsal, days: number): string {
  const missed = nobody.count ? `; ${nobody.count} times it would have found nobody to write to` : ''
  return `In the last ${days} days it would have fired ${counted(firings, 'time')} and sent ${counted(messages, 'mail')}${missed}.`
}

/** Asks before a draft goes live; where examples fail, also why it may all the same. */
export function AskLive({ open, setOpen, standing: { state, version }, failing, warnings, past, days, onLive }: Props) {
  const [reason, setReason] = useState('')
  return (
    <Confirm
      open={open}
      setOpen={setOpen}
      title={`Send it live as version ${(version ?? 0) + 1}?`}
      deed="Send it live"
      leave="Not yet"
      kind="main"
      onDeed={() => onLive(failing.length ? reason.trim() : undefined)}
      waits={failing.length > 0 && reason.trim() === ''}
      before={
        <>
          {past && <p className="mb-3">{pastWords(past, days)}</p>}
          {warnings.length > 0 && (
            <ul aria-label="To consider" className="mb-4 max-h-40 overflow-y-auto border-rule border-t text-sm">
              {warnings.map((w) => (
                <li key={w.path + w.message} className="border-rule border-b py-1 text-rope">
                  {w.message}
                </li>
              ))}
            </ul>
          )}
          {failing.length > 0 && (
            <div className="mb-5 border-rule border-t pt-2">
              <p className="text-alarm">{counted(failing.length, 'example fails', 'examples fail')}:</p>
              <ul className="mb-3">
                {failing.map((e) => (
                  <li key={e.name}>
                    {e.name}. <span className="text-muted">{e.shortfalls[0]}</span>
                  </li>
                ))}
              </ul>
              <label htmlFor="overrule" className="text-muted text-sm">
                Why may it go live all the same? The reason is kept with the version.
              </label>
              <input id="overrule" className="blank-line" value={reason} onChange={(e) => setReason(e.target.value)} />
            </div>
          )}
        </>
      }
    >
      From this moment each change that it waits for sends real mail. What was changed before does not fire it.
      {state !== 'draft' && ` Version ${version} ends at the same moment; no change is lost or taken twice.`}
    </Confirm>
  )
}
