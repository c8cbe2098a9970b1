'use client'

import { useState } from 'react'
import type { Folder } from '@/core/values/folders'

interface Props {
  readonly folders: readonly Folder[]
  readonly here: string
  readonly onOpen: (path: string) => void
  /** Told when documents are dropped on a folder. */
  readonly onDrop: (path: string, data: DataTransfer) => void
}

/** The folders as a tree, each with how many documents are in it and below; documents and files are dropped on it. */
export function Tree({ folders, here, onOpen, onDrop }: Props) {
  return (
    <ul className="text-sm">
      {folders.map((folder) => (
        <Branch key={folder.path} folder={folder} here={here} onOpen={onOpen} onDrop={onDrop} />
      ))}
    </ul>
  )
}

const isInside = (here: string, path: string) => here === path || here.startsWith(`${path}/`)

function Branch({ folder, here, onOpen, onDrop }: Omit<Props, 'folders'> & { folder: Folder }) {
  const [isOver, setOver] = useState(false)
  const { name, path, all, folders } = folder
  return (
    <li>
      <button
        type="button"
        aria-current={here === path ? 'true' : undefined}
        aria-label={`${name}, ${all} documents`}
        onClick={() => onOpen(path)}
        onDragOver={(event) => {
          event.preventDefault()
          setOver(true)
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault()
          event.stopPropagation()
          setOver(false)
          onDrop(path, event.dataTransfer)
        }}
        className={`flex w-full items-baseline gap-3 rounded-sm border-rule border-t px-2 py-1.5 text-left hover:text-spruce ${here === path ? 'font-semibold' : ''} ${isOver ? 'bg-rope-wash' : ''}`}
      >
        <span className="min-w-0 flex-1 truncate">{name}</span>
        <span className="figures text-muted">{all.toLocaleString('en-GB')}</span>
      </button>
      {folders.length > 0 && (
        <div className={`pl-4 ${isInside(here, path) ? '' : 'hidden'}`}>
          <Tree folders={folders} here={here} onOpen={onOpen} onDrop={onDrop} />
        </div>
      )}
    </li>
  )
}
