'use client'

import { useState } from 'react'
import { useRename } from '../design/use-rename'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { MarginTitle } from '../parts/page'
import { counted } from '../today/summary'

/** A team, and how many of its people are active. */
interface Team {
  readonly name: string
  readonly active: number
}

/** The teams that people are of, each opened to be called otherwise. */
export function Teams({ teams }: { teams: readonly Team[] }) {
  const [open, setOpen] = useState<string | null>(null)
  if (teams.length === 0) return null
  return (
    <div className="mt-8">
      <MarginTitle note="Each is of the team that stands with them">Teams</MarginTitle>
      <ul aria-label="Teams" className="border-rule border-b">
        {teams.map((team) => (
          <li key={team.name} className={`border-rule border-t py-2 ${open === team.name ? 'bg-rope-wash px-3' : ''}`}>
            <div className="flex items-baseline gap-4">
              <b className="min-w-0 flex-1 truncate font-semibold">{team.name}</b>
              <span className="text-muted text-sm">{counted(team.active, 'person', 'people')}</span>
              <Button onClick={() => setOpen(open === team.name ? null : team.name)}>{open === team.name ? 'Fold' : 'Rename'}</Button>
            </div>
            {open === team.name && <TeamForm team={team.name} onDone={() => setOpen(null)} />}
          </li>
        ))}
      </ul>
    </div>
  )
}

function TeamForm({ team, onDone }: { team: string; onDone: () => void }) {
  const [name, setName] = useState(team)
  const { busy, act } = useDeed()
  const { rename, question } = useRename()
  const save = async () => {
    const to = name.trim()
    if (to === team) return onDone()
    if (await rename({ pathOf: (name) => `/api/v1/teams/${encodeURIComponent(name)}`, from: team, to })) await act(async () => onDone(), `${team} is called ${to} now.`)
  }
  return (
    <form
      aria-label={`Rename ${team}`}
      className="flex items-end gap-6 py-2"
      onSubmit={(event) => {
        event.preventDefault()
        void save()
      }}
    >
      <input aria-label="Name of the team" required maxLength={200} className="blank-line min-w-0 flex-1" value={name} onChange={(e) => setName(e.target.value)} />
      <Button kind="main" type="submit" disabled={busy}>
        Save
      </Button>
      {question}
    </form>
  )
}
