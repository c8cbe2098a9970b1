'use client'

import { Popover } from 'radix-ui'
import { useState } from 'react'
import type { View } from '@/core/document/view'
import type { TableDef } from '@/core/values/tables'
import type { NamedView } from '@/store/views'
import { call } from '../api'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { useDeed } from '../parts/deed'
import { columnsOf } from './columns'

interface Props {
  readonly table: TableDef
  readonly view: View
  readonly views: readonly NamedView[]
  /** The name of the view that is looked at as it was kept. */
  readonly named: string | null
  readonly mayShare: boolean
  readonly onView: (view: View, named: string | null) => void
}

const NONE = '\u0000'
const trigger = 'text-sm text-spruce hover:underline'
const sheet = 'z-50 w-[340px] rounded-md border border-rule bg-sheet p-4 shadow-lg'

/** How the records are looked at: the columns and what they are gathered by, and the views that are kept. */
export function ViewMenu(props: Props) {
  return (
    <>
      <Columns {...props} />
      <Views {...props} />
    </>
  )
}

function Columns({ table, view, onView }: Props) {
  const shown = columnsOf(table, view).map((c) => c.field.name)
  const hidden = table.fields.filter((f) => !shown.includes(f.name)).map((f) => f.name)
  const put = (change: Partial<View>) => onView({ ...view, ...change }, null)
  const label = (name: string) => table.fields.find((f) => f.name === name)?.label ?? name
  const move = (i: number, by: number) => {
    const next = [...shown]
    const [moved] = next.splice(i, 1)
    if (moved) next.splice(i + by, 0, moved)
    put({ columns: next })
  }
  return (
    <Popover.Root>
      <Popover.Trigger className={trigger}>Columns</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className={sheet} aria-label="Columns">
          <Choice
            label="Gather by"
            value={view.group ?? NONE}
            options={[
              { value: NONE, label: 'gathered by nothing' },
              ...table.fields.filter((f) => f.type !== 'file' && f.type !== 'long text').map((f) => ({ value: f.name, label: `gathered by ${f.label.toLowerCase()}` })),
            ]}
            onChange={(name) => put({ group: name === NONE ? undefined : name })}
          />
          <ol className="mt-3 max-h-[46vh] overflow-auto border-rule border-b text-sm">
            {shown.map((name, i) => (
              <li key={name} className="flex items-baseline gap-2.5 border-rule border-t py-1">
                <label className="flex min-w-0 flex-1 cursor-pointer items-baseline gap-2">
                  <input
                    type="checkbox"
                    className="accent-spruce"
                    checked
                    disabled={name === table.titleField}
                    onChange={() => put({ columns: shown.filter((n) => n !== name) })}
                  />
                  <span className="truncate">{label(name)}</span>
                </label>
                <Button
                  aria-label={`Keep ${label(name)} and those before it in sight`}
                  aria-pressed={i < (view.frozen ?? 1)}
                  onClick={() => put({ frozen: i + 1 === (view.frozen ?? 1) ? 0 : i + 1 })}
                >
                  {i < (view.frozen ?? 1) ? 'stays' : 'scrolls'}
                </Button>
                <Button aria-label={`${label(name)} to the left`} disabled={i < 2} onClick={() => move(i, -1)}>
                  ↑
                </Button>
                <Button aria-label={`${label(name)} to the right`} disabled={i === 0 || i === shown.length - 1} onClick={() => move(i, 1)}>
                  ↓
                </Button>
              </li>
            ))}
            {hidden.map((name) => (
              <li key={name} className="border-rule border-t py-1">
                <label className="flex cursor-pointer items-baseline gap-2 text-muted">
                  <input type="checkbox" className="accent-spruce" checked={false} onChange={() => put({ columns: [...shown, name] })} />
                  {label(name)}
                </label>
              </li>
            ))}
          </ol>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function Views({ table, view, views, named, mayShare, onView }: Props) {
  const { act } = useDeed()
  const [name, setName] = useState('')
  const [shared, setShared] = useState(false)
  const path = (of: string) => `/api/v1/views/${table.name}/${encodeURIComponent(of)}`
  const keep = async () => {
    const to = name.trim()
    if (to && (await act(() => call('PUT', path(to), { ...view, shared }), `The view “${to}” is kept.`))) {
      setName('')
      onView(view, to)
    }
  }
  return (
    <Popover.Root>
      <Popover.Trigger className={trigger}>{named ? `View: ${named}` : 'Views'}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className={sheet} aria-label="Views">
          <ul className="border-rule border-b text-sm">
            <li className="border-rule border-t py-1">
              <Button onClick={() => onView({}, null)}>All {table.label.toLowerCase()}, as they come</Button>
            </li>
            {views.map((v) => (
              <li key={`${v.shared} ${v.name}`} className="flex items-baseline gap-3 border-rule border-t py-1">
                <Button className="min-w-0 flex-1 truncate text-left" onClick={() => onView(v.view, v.name)}>
                  {v.name}
                </Button>
                <span className="text-muted text-xs">{v.shared ? 'everybody’s' : 'mine'}</span>
                {(!v.shared || mayShare) && (
                  <Button
                    kind="alarm"
                    aria-label={`Take the view ${v.name} away`}
                    onClick={() => act(() => call('DELETE', `${path(v.name)}?shared=${v.shared}`), `The view “${v.name}” is gone.`)}
                  >
                    ×
                  </Button>
                )}
              </li>
            ))}
          </ul>
          <form
            className="mt-3 grid gap-2"
            onSubmit={(event) => {
              event.preventDefault()
              void keep()
            }}
          >
            <input aria-label="Keep this view as" placeholder="Keep this view as" className="blank-line" value={name} onChange={(e) => setName(e.target.value)} />
            <span className="flex items-baseline gap-5">
              {mayShare && (
                <label className="flex items-baseline gap-1.5 text-sm">
                  <input type="checkbox" className="accent-spruce" checked={shared} onChange={(e) => setShared(e.target.checked)} /> for everybody
                </label>
              )}
              <Button type="submit" disabled={!name.trim()}>
                Keep it
              </Button>
            </span>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
