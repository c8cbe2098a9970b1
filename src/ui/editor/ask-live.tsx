'use client'

import { useState } from 'react'
import type { ShownExample } from '../examples/panel'
import { Confirm } from '../parts/confirm'
import { counted } from '../today/summary'
import type { Standing } from './standing'

interface Props {
  readonly open: boolean
  readonly setOpen: (open: boolean) => void
  readonly standing: Standing
  readonly failing: readonly ShownExample[]
  readonly onLive: (overrule: string | undefined) => void
}

/** Asks before a draft goes live; where examples fail, also why it may all the same. */
export function AskLive({ open, setOpen, standing: { state, version }, failing, onLive }: Props) {
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
        failing.length > 0 && (
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
        )
      }
    >
      From this moment each change that it waits for sends real mail. What was changed before does not fire it.
      {state !== 'draft' && ` Version ${version} ends at the same moment; no change is lost or taken twice.`}
    </Confirm>
  )
}
