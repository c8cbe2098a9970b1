'use client'

import { useRouter } from 'next/navigation'
import { useRef } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { upload } from '../api'
import { Button } from '../parts/button'

interface Answer {
  readonly name: string
  readonly review: readonly { level: string; message: string }[]
}

/** Reads a workflow from a file, JSON, YAML or its brief as text, as a draft; says what it names that is not here. */
export function Import() {
  const router = useRouter()
  const input = useRef<HTMLInputElement>(null)
  const read = async (file: File | undefined) => {
    if (!file) return
    try {
      const { name, review } = await upload<Answer>('POST', '/api/v1/workflows/import', file)
      const lacks = review.filter((f) => f.level === 'error')
      if (lacks.length) toast.warning(`“${name}” is read. ${lacks.length === 1 ? 'One thing is' : `${lacks.length} things are`} to mend here: ${lacks[0]?.message}`)
      else toast.success(`“${name}” is read; everything it names is here.`)
      router.push(`/workflows/${encodeURIComponent(name)}`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <>
      <input
        ref={input}
        type="file"
        aria-label="A workflow to import"
        accept=".json,.yaml,.yml,.txt"
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => {
          void read(e.target.files?.[0])
          e.target.value = ''
        }}
      />
      <Button onClick={() => input.current?.click()}>Import</Button>
    </>
  )
}
