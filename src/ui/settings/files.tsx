'use client'

import { useForm } from 'react-hook-form'
import { mostAttachedOf } from '@/core/workflow/run/attachments'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

interface Most {
  readonly one: string
  readonly all: string
}

interface Props {
  readonly fileSize: number
  readonly filesTotal: number | null
  /** The most bytes of a message that the mail server says it takes. */
  readonly mostBytes: number | null
}

/** How large files may be: one, and all together. */
export function FileLimits({ fileSize, filesTotal, mostBytes }: Props) {
  const { register, handleSubmit, formState } = useForm<Most>({ values: { one: String(fileSize), all: filesTotal === null ? '' : String(filesTotal) } })
  const { busy, act } = useDeed()
  const save = handleSubmit(({ one, all }) =>
    act(() => call('PUT', '/api/v1/settings', { fileSize: Number(one), filesTotal: all.trim() === '' ? null : Number(all) }), 'Saved. Files that are there stay.'),
  )
  const megabytes = (bytes: number) => `${Math.floor(bytes / 1e5) / 10} MB`
  const server = mostBytes === null ? 'The mail server does not say how much it takes' : `The mail server takes messages of ${megabytes(mostBytes)}`
  const inMail = `${server}: mail carries ${megabytes(mostAttachedOf(mostBytes))} of files at most`
  return (
    <Section title="Files" note={`The same content is kept once, whatever files have it. ${inMail}; what is more is linked.`}>
      <form onSubmit={save} className="grid grid-cols-1 items-end gap-x-8 gap-y-4 sm:grid-cols-[1fr_1fr_auto]">
        <Labelled label="Megabytes of a file, at most">
          <input aria-label="Megabytes of a file, at most" type="number" min="1" max="100" step="1" required className="blank-line" {...register('one')} />
        </Labelled>
        <Labelled label="Megabytes of all files, at most">
          <input aria-label="Megabytes of all files, at most" type="number" min="1" step="1" className="blank-line" {...register('all')} />
        </Labelled>
        <Button type="submit" disabled={busy || !formState.isDirty}>
          Keep these limits
        </Button>
      </form>
    </Section>
  )
}
