'use client'

import { call } from '../api'
import { AnyChoice, named } from '../parts/any-choice'
import { useDeed } from '../parts/deed'

/** Which channel is told when something is wrong; shown where there are channels. */
export function ToldChannel({ channel, channels }: { channel: string | null; channels: readonly string[] }) {
  const { act } = useDeed()
  if (channels.length === 0) return null
  const put = (chosen: string) => {
    const next = chosen || null
    if (next !== channel) void act(() => call('PUT', '/api/v1/settings/told', { channel: next }), next === null ? 'No channel is told any more.' : `${next} is told from now on.`)
  }
  return (
    <div className="mt-3 flex flex-wrap items-baseline gap-x-4 gap-y-1">
      <span>A channel hears of it too, also that the mail server does not answer:</span>
      <div className="w-52">
        <AnyChoice label="Channel that is told" any="none" options={named(channels)} value={channel ?? ''} onChange={put} />
      </div>
    </div>
  )
}
