'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'
import { Confirm } from '../parts/confirm'

/** Takes a version back as the draft, to be looked at and sent live again. */
export function GoBack({ name, version, document }: { name: string; version: string; document: Workflow }) {
  const router = useRouter()
  const [asking, setAsking] = useState(false)
  const take = async () => {
    try {
      await call('PUT', `/api/v1/workflows/${encodeURIComponent(name)}`, { ...document, name })
      toast(`The draft is version ${version} again.`)
      router.push(`/workflows/${encodeURIComponent(name)}`)
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <>
      <Button onClick={() => setAsking(true)}>Go back to it</Button>
      <Confirm open={asking} setOpen={setAsking} title={`Make version ${version} the draft?`} deed="Make it the draft" leave="Keep the draft" kind="main" onDeed={take}>
        What the draft says now is replaced. Nothing goes live by this; the draft can be looked at and sent live as a new version.
      </Confirm>
    </>
  )
}
