'use client'

import { useRef, useState } from 'react'
import { Button } from '../parts/button'

interface Props {
  readonly file: File | null
  readonly onFile: (file: File | undefined) => void
  readonly recognised: string | null
  /** What else can be done, where there is no file yet. */
  readonly hint: string
}

/** Where a file is chosen, or dropped. */
export function Drop({ file, onFile, recognised, hint }: Props) {
  const input = useRef<HTMLInputElement>(null)
  const [over, setOver] = useState(false)
  return (
    <section
      aria-label="The file"
      className={`mb-4 border-y border-dashed px-3 py-4 ${over ? 'border-rope-mark bg-rope-wash' : 'border-rule'}`}
      onDragOver={(event) => {
        event.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault()
        setOver(false)
        onFile(event.dataTransfer.files[0])
      }}
    >
      <input
        ref={input}
        type="file"
        aria-label="The file to import"
        className="sr-only"
        tabIndex={-1}
        accept=".csv,.tsv,.txt,.xlsx,.jsonl,.ndjson"
        onChange={(e) => {
          onFile(e.target.files?.[0])
          e.target.value = '' // so that the same file, mended, can be chosen again
        }}
      />
      <span className="flex items-baseline gap-5">
        <Button kind={file ? undefined : 'main'} autoFocus onClick={() => input.current?.click()}>
          {file ? 'Choose another file' : 'Choose a file'}
        </Button>
        <span className="text-muted">
          {file ? (
            <>
              <b className="font-semibold text-ink">{file.name}</b>
              {recognised && `, ${recognised}`}
            </>
          ) : (
            hint
          )}
        </span>
      </span>
    </section>
  )
}
