'use client'

import { useRef } from 'react'
import type { LibraryFile } from '@/store/files'
import { call, upload } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { sizeWords } from '../parts/size'
import { Row, Section } from './section'

const path = (name: string) => `/api/v1/library/${encodeURIComponent(name)}`

/** Files that emails attach or show as images. */
export function Library({ files }: { files: readonly LibraryFile[] }) {
  const input = useRef<HTMLInputElement>(null)
  const { busy, act } = useDeed()
  const add = (file: File | undefined) => file && act(() => upload('PUT', path(file.name), file), `${file.name} is in the library.`)
  return (
    <Section
      title="Files for mail"
      note="Emails attach these, or show them inside the text as images. A file of the same name takes the place of the old one; mail already written keeps what it had."
    >
      <ul className="mb-3">
        {files.map(({ id, name, type, size }) => (
          <Row
            key={name}
            actions={
              <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', path(name)), `${name} is no longer in the library.`)}>
                Remove
              </Button>
            }
          >
            <a href={`/api/v1/files/${id}`} className="font-semibold">
              {name}
            </a>{' '}
            <span className="text-muted text-sm">
              {sizeWords(size)}, {type}
            </span>
          </Row>
        ))}
      </ul>
      <input ref={input} type="file" aria-label="A file for the library" className="sr-only" tabIndex={-1} onChange={(e) => add(e.target.files?.[0])} />
      <Button disabled={busy} onClick={() => input.current?.click()}>
        Add a file
      </Button>
    </Section>
  )
}
