'use client'

import { useState } from 'react'
import { useForm } from 'react-hook-form'
import type { TokenRow } from '@/store/access/tokens'
import { call } from '../api'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Time } from '../parts/time'
import { Row, Section } from './section'

interface Props {
  readonly tokens: readonly TokenRow[]
  readonly people: readonly { email: string; name: string }[]
  readonly locale: string
  readonly zone: string
}

const ROLES = [
  { value: 'member', label: 'member' },
  { value: 'editor', label: 'editor' },
  { value: 'administrator', label: 'administrator' },
]
const NOBODY = 'nobody'

/** Tokens that programs call the API with: made here, shown once, ended here. */
export function Tokens({ tokens, people, locale, zone }: Props) {
  const { register, handleSubmit, reset } = useForm<{ name: string }>()
  const [role, setRole] = useState('editor')
  const [person, setPerson] = useState(NOBODY)
  const [made, setMade] = useState<{ name: string; token: string } | null>(null)
  const { busy, act } = useDeed()
  const make = handleSubmit(async ({ name }) => {
    const done = await act(async () => {
      setMade(await call('POST', '/api/v1/tokens', { name, role, person: person === NOBODY ? null : person }))
    }, 'The token is made. Copy it now.')
    if (done) reset()
  })
  return (
    <Section title="API tokens" note="A program shows its token with every call. What it changes is recorded in the name of the token, or of the person it acts for.">
      {made && (
        <p role="status" className="mb-4 border-rope-mark border-l-4 pl-3">
          The token <b>{made.name}</b>, shown this once:
          <code className="mt-1 block break-all font-mono text-sm">{made.token}</code>
          <Button onClick={() => navigator.clipboard.writeText(made.token)}>Copy it</Button>
        </p>
      )}
      <ul className="mb-3">
        {tokens.map((token) => (
          <Row
            key={token.id}
            actions={
              <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', `/api/v1/tokens/${token.id}`), `${token.name} can no longer call.`)}>
                End it
              </Button>
            }
          >
            <b className="font-semibold">{token.name}</b>{' '}
            <span className="text-muted">
              {token.role}
              {token.person && `, for ${token.person}`}, {token.last_used_at ? 'last used ' : 'never used'}
              {token.last_used_at && <Time at={token.last_used_at} locale={locale} zone={zone} />}
            </span>
          </Row>
        ))}
      </ul>
      <form onSubmit={make} className="grid grid-cols-1 items-end gap-4 sm:grid-cols-[1.4fr_1fr_1.2fr_auto]">
        <Labelled label="Name">
          <input aria-label="Name of the token" className="blank-line" {...register('name', { required: true })} />
        </Labelled>
        <Labelled label="May do what this role may">
          <Choice label="Role of the token" value={role} options={ROLES} onChange={setRole} />
        </Labelled>
        <Labelled label="Acts for">
          <Choice
            label="Acts for"
            value={person}
            options={[{ value: NOBODY, label: 'nobody in particular' }, ...people.map((p) => ({ value: p.email, label: p.name }))]}
            onChange={setPerson}
          />
        </Labelled>
        <Button type="submit" disabled={busy}>
          Make a token
        </Button>
      </form>
    </Section>
  )
}
