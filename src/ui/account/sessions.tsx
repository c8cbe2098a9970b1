'use client'

import type { SessionRow } from '@/store/access/sessions'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Time } from '../parts/time'
import { Row, Section } from '../settings/section'

interface Props {
  readonly sessions: readonly (SessionRow & { readonly isThis: boolean })[]
  readonly locale: string
  readonly zone: string
  readonly idleMinutes: number
}

const WAYS: Readonly<Record<SessionRow['way'], string>> = { password: 'by password', link: 'by a link in a mail', openid: 'by the other system' }

/** Minutes in words, in hours where they are whole. */
function inWords(minutes: number): string {
  const [count, unit] = minutes % 60 === 0 ? [minutes / 60, 'hour'] : [minutes, 'minute']
  return `${count} ${unit}${count === 1 ? '' : 's'}`
}

/** Where one is signed in, each ended by itself or all but this one at once. */
export function Sessions({ sessions, locale, zone, idleMinutes }: Props) {
  const { busy, act } = useDeed()
  const others = sessions.filter((s) => !s.isThis)
  const moment = (at: Date) => <Time at={at} locale={locale} zone={zone} />
  return (
    <Section title="Where you are signed in" note={`A session ends after ${inWords(idleMinutes)} without use, and after two weeks.`}>
      <ul className="mb-3">
        {sessions.map((s) => (
          <Row
            key={s.id}
            actions={
              s.isThis ? (
                <span className="text-calm text-sm">this one</span>
              ) : (
                <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', `/api/v1/account/sessions/${s.id}`), 'That session has ended.')}>
                  End it
                </Button>
              )
            }
          >
            <b className="font-semibold">{s.agent}</b>{' '}
            <span className="text-muted">
              {s.caller && `from ${s.caller}, `}signed in {WAYS[s.way]} {moment(s.created_at)}, last used {moment(s.last_seen_at)}
            </span>
          </Row>
        ))}
      </ul>
      {others.length > 0 && (
        <Button disabled={busy} onClick={() => act(() => call('DELETE', '/api/v1/account/sessions'), 'You are signed in only here now.')}>
          End the others
        </Button>
      )}
    </Section>
  )
}
