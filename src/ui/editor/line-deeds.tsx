'use client'

import { toast } from 'sonner'
import type { Workflow } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import { Button } from '../parts/button'
import type { Edit } from './state'
import { canMute, type Item, kindAt } from './tree'

/** Copies a line so that it can be pasted into this or another brief, in this browser or another. */
export async function copyLine(document: Workflow, path: string): Promise<void> {
  const kind = kindAt(path)
  if (!kind) return
  await navigator.clipboard.writeText(JSON.stringify({ rappel: 'line/1', kind, value: valueAt(document, path) }))
  toast('The line is copied.')
}

/** Reads a copied line; null where the text is none. */
export function readCopied(text: string): Item | null {
  try {
    const given = JSON.parse(text) as { rappel?: unknown } & Item
    return given.rappel === 'line/1' && given.kind && given.value ? { kind: given.kind, value: given.value } : null
  } catch {
    return null
  }
}

/** What can be done with a line as a whole, each with its key. */
export function LineDeeds({ document, path, dispatch }: { document: Workflow; path: string; dispatch: (edit: Edit) => void }) {
  const kind = kindAt(path)
  const isRemovable = kind !== null || path === '/conditions' || path.startsWith('/limits/')
  const muted = valueAt<{ muted?: boolean }>(document, path)?.muted
  if (!isRemovable) return null
  return (
    <div className="mt-4 flex flex-wrap gap-x-5 gap-y-1">
      {kind && (
        <>
          <Button shortcut="Alt ↑" onClick={() => dispatch({ do: 'up', path })}>
            Up
          </Button>
          <Button shortcut="Alt ↓" onClick={() => dispatch({ do: 'down', path })}>
            Down
          </Button>
        </>
      )}
      {(kind === 'condition' || kind === 'action') && (
        <>
          <Button shortcut="Alt →" onClick={() => dispatch({ do: 'indent', path })}>
            In
          </Button>
          <Button shortcut="Alt ←" onClick={() => dispatch({ do: 'outdent', path })}>
            Out
          </Button>
        </>
      )}
      {canMute(document, path) && (
        <Button shortcut="m" onClick={() => dispatch({ do: 'mute', path })}>
          {muted ? 'Let it count again' : 'Mute'}
        </Button>
      )}
      {kind && <Button onClick={() => dispatch({ do: 'duplicate', path })}>Double</Button>}
      {kind && <Button onClick={() => copyLine(document, path)}>Copy</Button>}
      <Button kind="alarm" shortcut="Del" onClick={() => dispatch({ do: 'remove', path })}>
        Remove the line
      </Button>
    </div>
  )
}
