'use client'

import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import type { FieldDef, FileInfo, Stored } from '@/core/values/tables'
import { upload } from '../api'
import { Button } from '../parts/button'

/** Chooses a file from the machine for a file field, or takes the one it has away. */
export function FileEditor({ field, onSave, onCancel, autoFocus }: { field: FieldDef; onSave: (value: Stored) => void; onCancel?: () => void; autoFocus: boolean }) {
  const input = useRef<HTMLInputElement>(null)
  const [sending, setSending] = useState(false)
  const [sent, setSent] = useState<string | null>(null)
  const send = async (file: File | undefined) => {
    if (!file) return
    setSending(true)
    try {
      const { id } = await upload<FileInfo>('POST', `/api/v1/files?name=${encodeURIComponent(file.name)}`, file)
      setSent(file.name)
      onSave(id)
    } catch (error) {
      toast.error(faultOf(error))
    } finally {
      setSending(false)
    }
  }
  return (
    <div className="flex items-baseline gap-5">
      {sent && <span className="truncate">{sent}</span>}
      <input ref={input} type="file" aria-label={field.label} className="sr-only" tabIndex={-1} onChange={(e) => send(e.target.files?.[0])} />
      <Button onClick={() => input.current?.click()} disabled={sending} autoFocus={autoFocus}>
        {sending ? 'Sending …' : sent ? 'Choose another file' : 'Choose a file'}
      </Button>
      {!field.required && (
        <Button
          onClick={() => {
            setSent(null)
            onSave(null)
          }}
        >
          Leave it blank
        </Button>
      )}
      {onCancel && <Button onClick={onCancel}>Keep it as it is</Button>}
    </div>
  )
}
