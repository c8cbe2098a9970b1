'use client'

import { useState } from 'react'
import { faultOf } from '@/core/must'
import type { FileInfo } from '@/core/values/tables'
import { call, upload } from '../api'

/** A file that is being added: how far it is, or why it was not. */
export interface Adding {
  readonly name: string
  readonly state: 'waits' | 'sending' | 'added' | 'refused'
  readonly fault?: string
}

/** How records of a library are made for files. */
export interface Library {
  readonly table: string
  readonly titleField: string
  readonly fields: { readonly folder: string; readonly file: string }
  /** Most megabytes of one file, which the server keeps to. */
  readonly fileSize: number
}

/** Two of one name in a folder are told apart by a number, as desks do: "Plan.pdf", "Plan (2).pdf". */
export function freeTitle(name: string, taken: ReadonlySet<string>): string {
  if (!taken.has(name.toLowerCase())) return name
  const dot = name.lastIndexOf('.')
  const [stem, end] = dot > 0 ? [name.slice(0, dot), name.slice(dot)] : [name, '']
  for (let n = 2; ; n++) if (!taken.has(`${stem} (${n})${end}`.toLowerCase())) return `${stem} (${n})${end}`
}

/** Adds files to a folder one after the other, each as a record; one that is refused keeps no other from being added. */
export function useAdding({ table, titleField, fields, fileSize }: Library, onAdded: () => void) {
  const [adding, setAdding] = useState<readonly Adding[]>([])
  const add = async (files: readonly File[], folder: string, titles: readonly string[]) => {
    const taken = new Set(titles.map((t) => t.toLowerCase()))
    const states: Adding[] = files.map(({ name }) => ({ name, state: 'waits' }))
    const put = (i: number, state: Omit<Adding, 'name'>) => {
      states[i] = { name: states[i]?.name ?? '', ...state }
      setAdding([...states])
    }
    setAdding([...states])
    for (const [i, file] of files.entries()) {
      put(i, { state: 'sending' })
      try {
        if (file.size > fileSize * 1_000_000) throw new Error(`It is larger than ${fileSize} MB.`)
        const { id, name } = await upload<FileInfo>('POST', `/api/v1/files?name=${encodeURIComponent(file.name)}`, file)
        const title = freeTitle(name, taken)
        await call('POST', `/api/v1/records/${table}`, { [titleField]: title, [fields.file]: id, ...(folder ? { [fields.folder]: folder } : {}) })
        taken.add(title.toLowerCase())
        put(i, { state: 'added' })
      } catch (error) {
        put(i, { state: 'refused', fault: faultOf(error) })
      }
    }
    onAdded()
  }
  return { adding, add, clear: () => setAdding([]) }
}
