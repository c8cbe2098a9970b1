'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'

/** Tries a failed message again. */
export function RetryMessage({ id }: { id: number }) {
  const router = useRouter()
  const retry = async () => {
    try {
      await call('POST', `/api/v1/messages/${id}/retry`)
      router.refresh()
      setTimeout(() => router.refresh(), 800)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <Button className="ml-auto" onClick={retry}>
      Try again
    </Button>
  )
}
