'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import type { Limits, Workflow } from '@/core/document/document'
import type { Offers } from '@/core/limits/offers'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'
import { useAsked } from '../parts/queries'
import { counted } from '../today/summary'

/** The limits that would lessen what somebody gets of a workflow, each with its numbers by rehearsal; taking one puts it into the draft. */
export function WhatWouldHalveIt({ address, workflow, again }: { address: string; workflow: string; again: number }) {
  const router = useRouter()
  const { answer: data, fault } = useAsked<Offers>(`/api/v1/people/${encodeURIComponent(address)}/offers`, { workflow }, 0)
  const take = async (limits: Limits) => {
    const path = `/api/v1/workflows/${encodeURIComponent(workflow)}`
    try {
      const { draft } = await call<{ draft: Workflow }>('GET', path)
      await call('PUT', path, { ...draft, limits: { ...draft.limits, ...limits } })
      toast.success('Put into the draft. Nothing changes until it is sent live.')
      router.push(`/workflows/${encodeURIComponent(workflow)}`)
    } catch (refused) {
      toast.error(faultOf(refused))
    }
  }
  if (fault) return <p className="px-1 pb-3 text-muted text-sm">{fault}</p>
  if (!data)
    return (
      <p role="status" className="px-1 pb-3 text-muted text-sm">
        Rehearsing the last 30 days with each limit …
      </p>
    )
  const best = data.halves === null ? undefined : data.offers[data.halves]
  const [helping, idle] = [data.offers.filter((offer) => offer.messages < data.messages), data.offers.filter((offer) => offer.messages >= data.messages)]
  return (
    <div className="px-1 pb-4">
      <p className="mb-1 text-muted text-sm">
        As it is now it would send {counted(data.messages, 'mail')} to this address in 30 days, {counted(data.all, 'mail')} in all.
        {again > 0 && ` ${again} came about the same record within an hour.`}
        {data.messages === 0 && ' There is nothing to lessen.'}
      </p>
      {data.messages > 0 && (
        <ul aria-label={`Limits for ${workflow}`}>
          {helping.map((offer) => (
            <li
              key={offer.words}
              className={`grid grid-cols-[minmax(0,1fr)_10rem_9rem_9rem] items-baseline gap-x-5 border-rule border-t py-1 ${offer === best ? 'font-semibold' : ''}`}
            >
              <span>
                {offer.words}
                {offer === best && <span className="role-word ml-3 text-spruce">halves it</span>}
              </span>
              <span className="figures">
                {data.messages.toLocaleString('en-GB')} → {offer.messages.toLocaleString('en-GB')} here
              </span>
              <span className="figures text-muted">
                {data.all.toLocaleString('en-GB')} → {offer.all.toLocaleString('en-GB')} in all
              </span>
              <span className="text-right">
                <Button kind={offer === best ? 'main' : undefined} onClick={() => void take(offer.limits)}>
                  Put into the draft
                </Button>
              </span>
            </li>
          ))}
          {data.offers.length === 0 && <li className="text-muted">It has spacing and a digest already.</li>}
        </ul>
      )}
      {data.messages > 0 && data.offers.length > 0 && (
        <p className="mt-1 text-muted text-sm">
          {data.halves === null && 'Nothing halves it. '}
          {idle.length > 0 && `Without effect on it: ${idle.map((offer) => offer.words).join(', ')}.`}
        </p>
      )}
    </div>
  )
}
