'use client'

import { useEffect, useState } from 'react'
import type { FileInfo } from '@/core/values/tables'
import { MarginTitle } from '../parts/page'
import { sizeWords } from '../parts/size'

/** Most characters of a text that are shown. */
const MOST_TEXT = 200_000

const IMAGES = ['image/png', 'image/jpeg', 'image/gif', 'image/webp', 'image/avif']

/** What a file looks like: pictures, PDF and texts; all else is saved. */
export function Preview({ file }: { file: FileInfo }) {
  const [shown, setShown] = useState<{ url: string } | { text: string } | { fault: string } | null>(null)
  const isImage = IMAGES.includes(file.type)
  const isText = file.type.startsWith('text/')
  const isPdf = file.type === 'application/pdf'
  const path = `/api/v1/files/${file.id}`
  useEffect(() => {
    if (!isImage && !isText && !isPdf) return
    let url = ''
    const calledOff = new AbortController()
    fetch(path, { signal: calledOff.signal })
      .then(async (response) => {
        if (!response.ok) throw new Error('The file could not be read.')
        if (isText) return setShown({ text: (await response.text()).slice(0, MOST_TEXT) })
        // of the type that its content has, so that nothing is taken for a page
        url = URL.createObjectURL(new Blob([await response.arrayBuffer()], { type: file.type }))
        setShown({ url })
      })
      .catch((error: Error) => {
        if (!calledOff.signal.aborted) setShown({ fault: error.message })
      })
    return () => {
      calledOff.abort()
      if (url) URL.revokeObjectURL(url)
    }
  }, [path, file.type, isImage, isText, isPdf])
  return (
    <section aria-label="Preview">
      <MarginTitle note={`${file.type}, ${sizeWords(file.size)}`}>{file.name}</MarginTitle>
      <p className="mb-3">
        <a href={path}>Save it</a>
      </p>
      {shown && 'fault' in shown && <p role="alert">{shown.fault}</p>}
      {shown && 'text' in shown && <pre className="max-h-[60vh] overflow-auto whitespace-pre-wrap break-words border-rule border-t pt-2 font-mono text-xs">{shown.text}</pre>}
      {/* biome-ignore lint/performance/noImgElement: it is of this page alone, and no server can make it smaller */}
      {shown && 'url' in shown && isImage && <img src={shown.url} alt={file.name} className="max-h-[60vh] max-w-full border border-rule" />}
      {shown && 'url' in shown && isPdf && <iframe src={shown.url} title={file.name} className="h-[62vh] w-full border border-rule" />}
      {!isImage && !isText && !isPdf && <p className="text-muted">Files of this type are not shown here; save it to look at it.</p>}
    </section>
  )
}
