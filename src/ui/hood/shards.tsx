'use client'

import { useRouter } from 'next/navigation'
import { call } from '../api'
import { Choice } from '../parts/choice'
import { useDeed } from '../parts/deed'

/** Over how many shards changes are spread, to be changed while everything goes on. */
export function Shards({ shards, can }: { shards: number; can: readonly number[] }) {
  const { busy, act } = useDeed()
  const router = useRouter()
  const set = async (to: number) => {
    if (await act(() => call('PUT', '/api/v1/settings/shards', { shards: to }), `Changes are spread over ${to} shards.`)) router.refresh()
  }
  return (
    <p className="mt-6 flex flex-wrap items-baseline gap-x-2 border-rule border-t pt-3 text-muted">
      Changes are spread over
      <span className="w-24">
        <Choice
          label="Shards"
          value={String(shards)}
          options={can.map((n) => ({ value: String(n), label: n.toLocaleString('en-GB') }))}
          disabled={busy}
          onChange={(n) => set(Number(n))}
        />
      </span>
      shards.
      <span className="basis-full text-sm">Each is handled by one worker at a time; more than sixteen help where more than eight workers decide.</span>
    </p>
  )
}
