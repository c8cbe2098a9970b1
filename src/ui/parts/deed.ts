'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'

/** Does a deed and shows the page anew: says what was done, or why it was refused. Answers whether it was done. */
export function useDeed(): { busy: boolean; act: (deed: () => Promise<unknown>, done: string) => Promise<boolean> } {
  const router = useRouter()
  const [busy, setBusy] = useState(false)
  const act = async (deed: () => Promise<unknown>, done: string) => {
    setBusy(true)
    try {
      await deed()
      toast.success(done)
      router.refresh()
      return true
    } catch (error) {
      toast.error(faultOf(error))
      return false
    } finally {
      setBusy(false)
    }
  }
  return { busy, act }
}
