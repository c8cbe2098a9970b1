'use client'

import { useState } from 'react'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Section } from '../settings/section'
import { counted } from '../today/summary'

interface Found {
  readonly address: string
  readonly person: object | null
  readonly messages: number
  readonly others: number
  readonly runs: number
  readonly records: readonly { readonly table: string; readonly record: string | number; readonly field: string }[]
  readonly named: readonly { readonly what: string; readonly name: string }[]
}

/** What is kept of an address, of a person or of somebody outside: found, exported, and erased. */
export function Personal() {
  const [address, setAddress] = useState('')
  const [found, setFound] = useState<Found | null>(null)
  const [left, setLeft] = useState<readonly string[]>([])
  const { busy, act } = useDeed()
  const pathOf = (of: string) => `/api/v1/people/${encodeURIComponent(of)}/personal`
  const find = () =>
    act(async () => {
      setLeft([])
      setFound(await call<Found>('GET', `${pathOf(address.trim())}?count=true`))
    }, 'This is what is kept.')
  const erase = (of: string, everywhere: boolean) =>
    act(async () => {
      const { left } = await call<{ left: readonly string[] }>('DELETE', `${pathOf(of)}${everywhere ? '?records=true' : ''}`)
      setLeft(left)
      setFound(null)
    }, 'Erased. That there was something stays, without what it said.')
  return (
    <Section
      title="What is kept of somebody"
      note="Of a person here or an address outside: found, given to them as a file, or erased. The log keeps that there was a message, a run or a change."
    >
      <form
        className="flex flex-wrap items-end gap-6"
        onSubmit={(event) => {
          event.preventDefault()
          void find()
        }}
      >
        <input
          aria-label="Address to look for"
          type="email"
          required
          placeholder="somebody@office.example"
          className="blank-line max-w-80"
          value={address}
          onChange={(e) => setAddress(e.target.value)}
        />
        <Button type="submit" disabled={busy}>
          Find it
        </Button>
      </form>
      {found && (
        <div className="mt-4" role="status">
          <p>
            {found.person ? `${found.address} is a person here. ` : `Nobody here has the address ${found.address}. `}
            {counted(found.messages, 'message')} to it, {counted(found.others, 'message')} to others and {counted(found.runs, 'run')} that speak of it;{' '}
            {found.records.length === 0 ? 'no field of a record holds it.' : counted(found.records.length, 'field of a record holds it.', 'fields of records hold it.')}
          </p>
          {found.named.length > 0 && (
            <p className="mt-1">What is set up with it stays, and is to be changed by hand: {found.named.map(({ what, name }) => `${what} ${name}`).join('; ')}.</p>
          )}
          <div className="mt-2 flex flex-wrap items-baseline gap-6">
            <a className="text-sm" href={pathOf(found.address)}>
              Save it as a file
            </a>
            <Button kind="alarm" disabled={busy} onClick={() => erase(found.address, false)}>
              Erase it, but for records and others’ mail
            </Button>
            {found.records.length + found.others > 0 && (
              <Button kind="alarm" disabled={busy} onClick={() => erase(found.address, true)}>
                Erase it everywhere
              </Button>
            )}
          </div>
        </div>
      )}
      {left.length > 0 && (
        <div className="mt-4" role="status">
          <p>This still has it:</p>
          <ul className="mt-1 list-disc pl-5">
            {left.map((what) => (
              <li key={what}>{what}</li>
            ))}
          </ul>
        </div>
      )}
    </Section>
  )
}
