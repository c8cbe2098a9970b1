'use client'

import { useState } from 'react'
import { call } from '../api'
import { useRename } from '../design/use-rename'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Confirm } from '../parts/confirm'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { MarginTitle } from '../parts/page'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import type { ListedPerson } from './listed'

interface Group {
  readonly name: string
  readonly people: readonly string[]
  readonly addresses: readonly string[]
}

/** The groups, each with everybody mail to it reaches; opened to be changed. */
export function Groups({ groups, people: given }: { groups: readonly Group[]; people: Sent<readonly ListedPerson[]> }) {
  const people = useSent(given)
  const [open, setOpen] = useState<string | null>(null)
  const names = new Map(people.map((p) => [p.email, p]))
  return (
    <>
      <MarginTitle note="Mail to a group goes to its people and to its addresses">Groups</MarginTitle>
      <ul aria-label="Groups" className="mb-3 border-rule border-b">
        {groups.map((g) => (
          <li key={g.name} className={`border-rule border-t py-2 ${open === g.name ? 'bg-rope-wash px-3' : ''}`}>
            <div className="flex items-baseline gap-4">
              <b className="flex-1 font-semibold">{g.name}</b>
              <Button onClick={() => setOpen(open === g.name ? null : g.name)}>{open === g.name ? 'Fold' : 'Change'}</Button>
            </div>
            {open === g.name ? (
              <GroupForm group={g} people={people} onDone={() => setOpen(null)} />
            ) : (
              <p className="text-muted text-sm">
                {[...g.people.map((e) => `${names.get(e)?.name ?? e}${names.get(e)?.active === false ? ' (inactive)' : ''}`), ...g.addresses].join(', ') ||
                  'Nobody yet: mail to it reaches no one.'}
              </p>
            )}
          </li>
        ))}
      </ul>
      {open === '' ? <GroupForm group={null} people={people} onDone={() => setOpen(null)} /> : <Button onClick={() => setOpen('')}>Add a group</Button>}
    </>
  )
}

const pathOf = (group: string) => `/api/v1/groups/${encodeURIComponent(group)}`

function GroupForm({ group, people, onDone }: { group: Group | null; people: readonly ListedPerson[]; onDone: () => void }) {
  const [name, setName] = useState(group?.name ?? '')
  const [members, setMembers] = useState<readonly string[]>(group?.people ?? [])
  const [addresses, setAddresses] = useState((group?.addresses ?? []).join('\n'))
  const { busy, act } = useDeed()
  const { rename, question } = useRename()
  const [isDeleting, setDeleting] = useState(false)
  const save = async () => {
    const wanted = name.trim()
    if (!(await rename({ pathOf, from: group?.name ?? null, to: wanted }))) return
    const body = { people: members, addresses: addresses.split(/[\s,;]+/).filter(Boolean) }
    if (await act(() => call('PUT', pathOf(wanted), body), 'The group is saved.')) onDone()
  }
  return (
    <form
      aria-label={group ? `Change ${group.name}` : 'Add a group'}
      className="grid gap-3 py-2"
      onSubmit={(event) => {
        event.preventDefault()
        void save()
      }}
    >
      <Labelled label="Name">
        <input aria-label="Name of the group" required className="blank-line" value={name} onChange={(e) => setName(e.target.value)} />
      </Labelled>
      <Labelled label="People">
        <ul>
          {members.map((email) => (
            <li key={email} className="flex items-baseline gap-2">
              <span className="min-w-0 flex-1 truncate">{people.find((p) => p.email === email)?.name ?? email}</span>
              <button type="button" aria-label={`Take ${email} out`} className="px-1 text-muted hover:text-alarm" onClick={() => setMembers(members.filter((m) => m !== email))}>
                ×
              </button>
            </li>
          ))}
        </ul>
        <Choice
          label="Add a person"
          value={null}
          placeholder="Add a person …"
          options={people.filter((p) => p.active && !members.includes(p.email)).map((p) => ({ value: p.email, label: p.name, note: p.team ?? '' }))}
          onChange={(email) => setMembers([...members, email])}
        />
      </Labelled>
      <Labelled label="Addresses outside" note="One a line">
        <textarea aria-label="Addresses outside" rows={2} className="blank-line" value={addresses} onChange={(e) => setAddresses(e.target.value)} />
      </Labelled>
      <div className="flex gap-6">
        <Button kind="main" type="submit" disabled={busy}>
          Save
        </Button>
        <Button onClick={onDone}>Leave it</Button>
        {group && (
          <Button kind="alarm" className="ml-auto" onClick={() => setDeleting(true)}>
            Delete
          </Button>
        )}
      </div>
      {question}
      {group && (
        <Confirm
          open={isDeleting}
          setOpen={setDeleting}
          title={`Delete the group ${group.name}?`}
          deed="Delete it"
          leave="Keep it"
          kind="alarm"
          onDeed={() => void act(() => call('DELETE', pathOf(group.name)), `${group.name} is deleted.`)}
        >
          Its people stay. A group that a workflow names is not deleted.
        </Confirm>
      )}
    </form>
  )
}
