'use client'

import { useEffect, useState } from 'react'
import { useForm } from 'react-hook-form'
import type { WayIn } from '@/store/access/account-links'
import { call } from '../api'
import { useRename } from '../design/use-rename'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import type { Sent } from '../parts/sent'
import { AT_FIRST, ShowAll } from '../parts/show-all'
import { useSent } from '../parts/use-sent'
import { useUnsaved } from '../shell/leaving'
import { Invitation, invite } from './invitation'
import { Leaving } from './leaving'
import type { ListedPerson } from './listed'
import { Several } from './several'

interface Props {
  readonly people: Sent<readonly ListedPerson[]>
  readonly teams: readonly string[]
  readonly groups: readonly { readonly name: string; readonly people: readonly string[] }[]
  readonly waysIn: readonly WayIn[]
  readonly locale: string
  readonly zone: string
}

const NEW = 'new'
const SEVERAL = 'several'

/** Everybody, each opened to be changed where they stand. */
export function People({ people: given, teams, groups, waysIn, locale, zone }: Props) {
  const people = useSent(given)
  const [open, setOpen] = useState<string | null>(null)
  const [text, setText] = useState('')
  const [isWhole, setWhole] = useState(false)
  useEffect(() => {
    const openAsked = () => {
      const asked = decodeURIComponent(window.location.hash.slice(1))
      if (asked) setOpen(asked)
    }
    openAsked()
    window.addEventListener('hashchange', openAsked)
    return () => window.removeEventListener('hashchange', openAsked)
  }, [])
  const fits = (p: ListedPerson) => `${p.name} ${p.email} ${p.team ?? ''}`.toLowerCase().includes(text.trim().toLowerCase())
  const fitting = people.filter(fits)
  const shown = isWhole ? fitting : fitting.filter((p, i) => i < AT_FIRST || p.email === open)
  return (
    <>
      <div className="mt-3 flex items-end gap-6">
        <input aria-label="Search people" placeholder="Search by name, e-mail or team" className="blank-line max-w-xs" value={text} onChange={(e) => setText(e.target.value)} />
        <Button onClick={() => setOpen(NEW)}>Add somebody</Button>
        <Button onClick={() => setOpen(SEVERAL)}>Add several</Button>
      </div>
      {open === SEVERAL && <Several people={people} onDone={() => setOpen(null)} />}
      {open === NEW && <PersonForm person={null} people={people} teams={teams} onDone={() => setOpen(null)} />}
      <ul aria-label="People" className="mt-3 border-rule border-b">
        {shown.map((p) => (
          <li key={p.email} id={p.email} className={`border-rule border-t ${open === p.email ? 'bg-rope-wash' : ''}`}>
            <button
              type="button"
              aria-expanded={open === p.email}
              onClick={() => setOpen(open === p.email ? null : p.email)}
              className="grid w-full grid-cols-[minmax(0,1.1fr)_minmax(0,1.6fr)_minmax(0,0.8fr)_7rem] items-baseline gap-4 px-1 py-2 text-left"
            >
              <span className={`font-serif text-lg ${p.active ? '' : 'text-muted line-through'}`}>{p.name}</span>
              <span className="truncate text-muted">{p.email}</span>
              <span className="truncate text-muted">{p.team}</span>
              <span className="text-right text-sm">{p.active ? (p.role ?? <span className="text-muted">no sign-in</span>) : <span className="text-muted">inactive</span>}</span>
            </button>
            {open === p.email && (
              <div className="px-4 pb-4">
                <p className="mb-2 text-muted text-sm">
                  {groups
                    .filter((g) => g.people.includes(p.email))
                    .map((g) => g.name)
                    .join(', ') || 'In no group'}
                </p>
                <PersonForm person={p} people={people} teams={teams} onDone={() => setOpen(null)} />
                {p.active && p.role && <Invitation person={p} way={waysIn.find((w) => w.person === p.id) ?? null} locale={locale} zone={zone} />}
                {p.active && <Leaving person={p} people={people} />}
              </div>
            )}
          </li>
        ))}
      </ul>
      {fitting.length === 0 && <p className="mt-3 text-muted">Nobody fits. Search for less.</p>}
      {shown.length < fitting.length && <ShowAll count={fitting.length} locale={locale} onAll={() => setWhole(true)} />}
    </>
  )
}

interface Given {
  email: string
  first_name: string
  last_name: string
  phone: string
  team: string
}

const NOBODY = '\u0000nobody'

const pathOf = (email: string) => `/api/v1/people/${encodeURIComponent(email)}`

function PersonForm({ person, people, teams, onDone }: { person: ListedPerson | null; people: readonly ListedPerson[]; teams: readonly string[]; onDone: () => void }) {
  const { first_name, last_name, phone, team } = person ?? {}
  const { register, handleSubmit, formState } = useForm<Given>({
    defaultValues: { email: person?.email ?? '', first_name: first_name ?? '', last_name: last_name ?? '', phone: phone ?? '', team: team ?? '' },
  })
  const [manager, setManager] = useState(person?.manager ?? NOBODY)
  const [role, setRole] = useState(person?.role ?? NOBODY)
  const { busy, act } = useDeed()
  const { rename, question } = useRename()
  useUnsaved(
    (formState.isDirty || manager !== (person?.manager ?? NOBODY) || role !== (person?.role ?? NOBODY)) && !busy,
    person ? `what stands of ${person.name}` : 'somebody new',
  )
  const isInvited = person === null && role !== NOBODY
  const save = handleSubmit(async ({ email, ...given }) => {
    const body = {
      ...Object.fromEntries(Object.entries(given).map(([k, v]) => [k, v.trim() || null])),
      name:
        [given.first_name, given.last_name]
          .map((n) => n.trim())
          .filter(Boolean)
          .join(' ') || email,
      manager: manager === NOBODY ? null : manager,
      role: role === NOBODY ? null : role,
      ...(person && !person.active ? { active: true } : {}),
    }
    const address = email.trim()
    if (!(await rename({ pathOf, from: person?.email ?? null, to: address, isAddress: true }))) return
    const deed = async () => {
      await call('PUT', pathOf(address), body)
      if (isInvited) await invite(address)
    }
    if (await act(deed, isInvited ? 'Saved. An invitation is on its way to them.' : 'Saved.')) onDone()
  })
  const others = people.filter((p) => p.active && p.email !== person?.email)
  const line = (label: string, name: keyof Given, more: object = {}) => (
    <Labelled label={label}>
      <input aria-label={label} className="blank-line" {...register(name)} {...more} />
    </Labelled>
  )
  return (
    <form aria-label={person ? `Change ${person.name}` : 'Add somebody'} onSubmit={save} className="grid max-w-2xl grid-cols-2 gap-x-8 gap-y-3 py-2">
      {line('First name', 'first_name', { required: true })}
      {line('Last name', 'last_name')}
      {line('E-mail', 'email', { type: 'email', required: true })}
      {line('Phone', 'phone')}
      {line('Team', 'team', { list: 'teams' })}
      <datalist id="teams">
        {teams.map((t) => (
          <option key={t} value={t} />
        ))}
      </datalist>
      <Labelled label="Manager">
        <Choice label="Manager" value={manager} options={[{ value: NOBODY, label: 'nobody' }, ...others.map((p) => ({ value: p.email, label: p.name }))]} onChange={setManager} />
      </Labelled>
      <Labelled label="May">
        <Choice
          label="May"
          value={role}
          options={[
            { value: NOBODY, label: 'not sign in' },
            { value: 'member', label: 'see records and mail to themselves', note: 'member' },
            { value: 'editor', label: 'build workflows', note: 'editor' },
            { value: 'administrator', label: 'do everything', note: 'administrator' },
          ]}
          onChange={setRole}
        />
      </Labelled>
      <div className="col-span-2 flex gap-6">
        <Button kind="main" type="submit" disabled={busy}>
          {person && !person.active ? 'Make active again' : isInvited ? 'Save and invite' : 'Save'}
        </Button>
        <Button onClick={onDone}>Leave it</Button>
      </div>
      {question}
    </form>
  )
}
