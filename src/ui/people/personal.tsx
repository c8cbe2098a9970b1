'use client'

import { useState } from 'react'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Section } from '../settings/section'

interface Found {
  readonly address: string
  readonly person: object | null
  readonly messages: readonly object[]
  readonly records: readonly { readonly table: string; readonly record: string | number; readonly field: string }[]
}

/** What is kept of an address, of a person or of somebody outside: found, exported, and erased. */
export function Personal() {
  const [address, setAddress] = useState('')
  const [found, setFound] = useState<Found | null>(null)
  const { busy, act } = useDeed()
  const path = `/api/v1/people/${encodeURIComponent(address.trim())}/personal`
  const find = () =>
    act(async () => {
      setFound(await call<Found>('GET', path))
    }, 'This is what is kept.')
  const save = () => {
    const file = URL.createObjectURL(new Blob([JSON.stringify(found, null, 2)], { type: 'application/json' }))
    const link = Object.assign(document.createElement('a'), { href: file, download: `${address.trim()}.json` })
    link.click()
    URL.revokeObjectURL(file)
  }
  const erase = async (records: boolean) => {
    if (await act(() => call('DELETE', `${path}${records ? '?records=true' : ''}`), 'Erased. That there was something stays, without what it said.')) setFound(null)
  }
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
            {found.person ? 'A person here; ' : 'Nobody here has this address; '}
            {found.messages.length.toLocaleString('en-GB')} {found.messages.length === 1 ? 'message' : 'messages'} to it, and {found.records.length.toLocaleString('en-GB')}{' '}
            {found.records.length === 1 ? 'record holds' : 'records hold'} it.
          </p>
          <div className="mt-2 flex flex-wrap gap-6">
            <Button onClick={save}>Save it as a file</Button>
            <Button kind="alarm" disabled={busy} onClick={() => erase(false)}>
              Erase it, but for records
            </Button>
            {found.records.length > 0 && (
              <Button kind="alarm" disabled={busy} onClick={() => erase(true)}>
                Erase it, and empty the fields of {found.records.length === 1 ? 'the record' : `${found.records.length} records`}
              </Button>
            )}
          </div>
        </div>
      )}
    </Section>
  )
}
