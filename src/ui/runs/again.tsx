'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'
import { counted } from '../today/summary'
import type { RunsAsked } from './filters'

const LOOKS = [400, 1_200, 3_000]

/** Calls something about runs, says how many it met, and looks a few times what became of them. */
function useDeed() {
  const router = useRouter()
  return async (path: string, body: unknown, said: (count: number) => string) => {
    try {
      const answer = await call<{ retried?: number; cancelled?: number }>('POST', path, body)
      toast(said(answer.retried ?? answer.cancelled ?? 0))
      for (const after of LOOKS) setTimeout(() => router.refresh(), after)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
}

const tried = (count: number) =>
  count === 0 ? 'None of them can be tried: their workflows are not live.' : `${counted(count, 'run')} ${count === 1 ? 'is' : 'are'} being tried again.`
const givenAgain = (count: number) => `${count === 1 ? 'It is' : `${count} are`} being sent again.`
const calledOff = (count: number) => `${counted(count, 'run')} called off.`

/** For a run that failed: try it again, or all that failed alike; for one that waits: call it off. */
export function RunAgain({ id, state, alike }: { id: number; state: string; alike: number }) {
  const act = useDeed()
  if (state === 'waiting') return <Button onClick={() => act(`/api/v1/runs/${id}/cancel`, undefined, calledOff)}>Call it off</Button>
  const isDone = state === 'mail failed' || state === 'notice failed'
  return (
    <span className="inline-flex gap-5">
      <Button onClick={() => act(`/api/v1/runs/${id}/retry`, undefined, isDone ? givenAgain : tried)}>{isDone ? 'Send what failed again' : 'Try it again'}</Button>
      {alike > 1 && <Button onClick={() => act(`/api/v1/runs/${id}/retry?alike`, undefined, tried)}>Try all {alike} that failed like this</Button>}
    </span>
  )
}

/** For a list of failed, or of waiting, runs: all of them at once. */
export function AllAgain({ asked, some }: { asked: RunsAsked; some: number }) {
  const act = useDeed()
  const { state, ...filters } = asked
  if (some === 0) return null
  if (state === 'failed') return <Button onClick={() => act('/api/v1/runs/retry', filters, tried)}>Try all of these again</Button>
  if (state === 'waiting') return <Button onClick={() => act('/api/v1/runs/cancel', filters, calledOff)}>Call all of these off</Button>
  return null
}
