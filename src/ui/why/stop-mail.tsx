'use client'

import { useState } from 'react'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'

/** The one button with which somebody outside says stop, and what holds afterwards. */
export function StopMail({ stopKey, address, organisation, isStopped }: { stopKey: string; address: string; organisation: string; isStopped: boolean }) {
  const [state, setState] = useState<'open' | 'busy' | 'stopped'>(isStopped ? 'stopped' : 'open')
  const [fault, setFault] = useState<string | null>(null)
  const stop = async () => {
    setState('busy')
    setFault(null)
    try {
      await call('POST', `/api/stop/${encodeURIComponent(stopKey)}`)
      setState('stopped')
    } catch (error) {
      setFault(faultOf(error))
      setState('open')
    }
  }
  if (state === 'stopped')
    return (
      <p role="status" className="font-serif text-lg leading-relaxed">
        {address} gets no more of these. Should that have been a slip, {organisation} can take it back.
      </p>
    )
  return (
    <>
      <p className="mb-4 font-serif text-lg leading-relaxed">
        These mails go to {address} because {organisation} set them up so. Other mail of theirs is not touched.
      </p>
      <Button kind="main" disabled={state === 'busy'} onClick={() => void stop()}>
        Send me no more of these
      </Button>
      {fault && (
        <p role="alert" className="mt-3 text-alarm">
          {fault}
        </p>
      )}
    </>
  )
}
