import type { Metadata } from 'next'
import { pool } from '@/app/_server/environment'
import { openStopKey } from '@/engine/why-key'
import { signingSecret } from '@/store/access/secrets'
import { saidBy } from '@/store/limits/own-say'
import { readSettings } from '@/store/settings'
import { workflowName } from '@/store/workflows'
import { StopMail } from '@/ui/why/stop-mail'
import { NoOrigin, Sheet } from '@/ui/why/why-you-got-this'

export const metadata: Metadata = { title: 'No more mail', robots: { index: false }, referrer: 'no-referrer' }

/** Where somebody outside says that they want no more mail of a workflow. */
export default async function StopPage({ params }: { params: Promise<{ key: string }> }) {
  const key = decodeURIComponent((await params).key)
  const { name } = await readSettings(pool())
  const asked = openStopKey(key, await signingSecret(pool(), 'why'))
  const workflow = asked && (await workflowName(pool(), asked.workflow))
  if (!workflow) return <NoOrigin organisation={name} />
  const said = (await saidBy(pool(), [asked])).get(asked.workflow)?.(asked.address)
  return (
    <Sheet organisation={name}>
      <h1 className="mb-4 font-serif text-2xl leading-tight">No more mail of “{workflow}”</h1>
      <StopMail stopKey={key} address={asked.address} organisation={name} isStopped={said?.say === 'stop'} />
    </Sheet>
  )
}
