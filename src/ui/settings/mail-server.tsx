'use client'

import { useState } from 'react'
import { Controller, useForm } from 'react-hook-form'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import type { Tried } from '@/engine/delivery/try-server'
import type { MailGoesTo, SetServer } from '@/store/access/mail-server'
import { call } from '../api'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

const PATH = '/api/v1/settings/mail-server'

interface Given {
  host: string
  port: string
  security: string
  user: string
  password: string
  domain: string
  selector: string
  key: string
  mostRecipients: string
  perMinute: string
}

const SECURITY = [
  { value: 'STARTTLS', label: 'STARTTLS, and never without', port: '587' },
  { value: 'TLS', label: 'TLS from the first byte', port: '465' },
  { value: 'none', label: 'none: readable on the way', port: '25' },
] as const

/** What goes over the API of what the form holds; secrets that are left empty stay as they are. */
function serverOf({ host, port, security, user, password, domain, selector, key, mostRecipients, perMinute }: Given) {
  return {
    host: host.trim(),
    port: Number(port),
    security,
    user: user.trim() || null,
    mostRecipients: Number(mostRecipients) || null,
    perMinute: Number(perMinute) || null,
    ...(password ? { password } : {}),
    dkim: domain.trim() ? { domain: domain.trim(), selector: selector.trim() || 'rappel', ...(key.trim() ? { key: key.trim() } : {}) } : null,
  }
}

/** The mail server: where mail goes now, the server set and tried in one, and what it said. */
export function MailServer({ goesTo, me, domain }: { goesTo: MailGoesTo; me: string; domain: string }) {
  /** The place among the servers that is being set; null where none is. */
  const [open, setOpen] = useState<number | null>(null)
  const [tried, setTried] = useState<Tried | null>(null)
  const [trying, setTrying] = useState(false)
  const { busy, act } = useDeed()
  const attempt = async (server?: object): Promise<boolean> => {
    setTrying(true)
    setTried(null)
    try {
      const result = await call<Tried>('POST', `${PATH}/try`, { ...(server ? { server } : {}), to: me })
      setTried(result)
      return result.accepted
    } catch (error) {
      toast.error(faultOf(error))
      return false
    } finally {
      setTrying(false)
    }
  }
  const keep = async (server: object) => {
    if (
      await act(() => call('PUT', at(open ?? 1), server), open === 1 ? 'Mail goes out by this server from now on.' : 'Mail goes out by it when those before it cannot be reached.')
    )
      setOpen(null)
  }
  return (
    <Section id="mail-server" title="Mail server" note="Where alerts leave for their readers. What waits goes there as soon as it is set.">
      <div className="flex flex-wrap items-baseline gap-x-6 gap-y-2">
        <p>{whereWords(goesTo)}</p>
        {open === null && (
          <Button disabled={trying} onClick={() => attempt()}>
            Send me a test
          </Button>
        )}
        {open === null && goesTo.by !== 'environment' && <Button onClick={() => setOpen(1)}>{goesTo.by === 'setting' ? 'Change' : 'Set the mail server'}</Button>}
        {open === null && goesTo.by === 'setting' && goesTo.fallbacks.length === 0 && (
          <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', PATH), 'The post room takes the mail again.')}>
            Back to the post room
          </Button>
        )}
      </div>
      {open === null && goesTo.by === 'setting' && (
        <Fallbacks set={goesTo} busy={busy} onOpen={setOpen} onRemove={(place) => act(() => call('DELETE', at(place)), 'It is not gone by any more.')} />
      )}
      {open === null && goesTo.by === 'setting' && goesTo.record && (
        <p className="mt-2 text-muted text-sm">
          Mail is signed. Receivers trust the signature once the DNS has a TXT record <code className="break-all font-mono text-ink">{goesTo.record.name}</code> with{' '}
          <code className="break-all font-mono text-ink">{goesTo.record.text}</code>
        </p>
      )}
      {open !== null && <ServerForm key={open} set={serverAt(goesTo, open)} domain={domain} busy={busy || trying} attempt={attempt} keep={keep} onLeave={() => setOpen(null)} />}
      {trying && (
        <p role="status" className="mt-3 text-muted text-sm">
          Talking to the server …
        </p>
      )}
      {tried && <Talk tried={tried} me={me} />}
    </Section>
  )
}

function whereWords(goesTo: MailGoesTo) {
  if (goesTo.by === 'post room') return <>The post room takes the mail: it is read there, and nothing leaves this machine.</>
  const where = (
    <b className="font-semibold">
      {goesTo.host}, port {goesTo.port}
    </b>
  )
  if (goesTo.by === 'environment') return <>Mail goes by {where}, which RAPPEL_SMTP_URL names.</>
  return (
    <>
      Mail goes by {where}
      {goesTo.security === 'none' ? ', readable on the way' : ` with ${goesTo.security}`}
      {goesTo.user && `, as ${goesTo.user}`}.
    </>
  )
}

/** Where calls about the server of a place go. */
const at = (place: number) => (place === 1 ? PATH : `${PATH}?place=${place}`)

/** The server of a place, from 1; null where none is set. */
function serverAt(goesTo: MailGoesTo, place: number): SetServer | null {
  if (goesTo.by !== 'setting') return null
  return place === 1 ? goesTo : (goesTo.fallbacks[place - 2] ?? null)
}

/** The servers that mail goes by where those before them cannot be reached. */
function Fallbacks({
  set,
  busy,
  onOpen,
  onRemove,
}: {
  set: { readonly fallbacks: readonly SetServer[] }
  busy: boolean
  onOpen: (place: number) => void
  onRemove: (place: number) => void
}) {
  const { fallbacks } = set
  return (
    <ul className="mt-2 text-sm">
      {fallbacks.map(({ host, port }, i) => (
        <li key={`${host} ${port}`} className="flex flex-wrap items-baseline gap-x-4">
          <span>
            Where it cannot be reached: <b className="font-semibold">{`${host}, port ${port}`}</b>
          </span>
          <Button onClick={() => onOpen(i + 2)}>Change</Button>
          <Button kind="alarm" disabled={busy} onClick={() => onRemove(i + 2)}>
            Take it away
          </Button>
        </li>
      ))}
      {fallbacks.length < MOST_FALLBACKS && (
        <li>
          <Button onClick={() => onOpen(fallbacks.length + 2)}>Add a server to fall back on</Button>
        </li>
      )}
    </ul>
  )
}

const MOST_FALLBACKS = 2

interface FormProps {
  /** The server that is there already; null where a new one is set. */
  readonly set: SetServer | null
  readonly domain: string
  readonly busy: boolean
  readonly attempt: (server: object) => Promise<boolean>
  readonly keep: (server: object) => Promise<void>
  readonly onLeave: () => void
}

function ServerForm({ set, domain, busy, attempt, keep, onLeave }: FormProps) {
  const { register, handleSubmit, control, setValue, formState } = useForm<Given>({
    defaultValues: {
      host: set?.host ?? '',
      port: String(set?.port ?? 587),
      security: set?.security ?? 'STARTTLS',
      user: set?.user ?? '',
      password: '',
      domain: set?.dkim?.domain ?? '',
      selector: set?.dkim?.selector ?? 'rappel',
      key: '',
      mostRecipients: String(set?.mostRecipients ?? ''),
      perMinute: String(set?.perMinute ?? ''),
    },
  })
  const { port: isPortGiven } = formState.dirtyFields // asked for here, or it is not kept track of
  const tryAndKeep = handleSubmit(async (given) => {
    const server = serverOf(given)
    if (await attempt(server)) await keep(server)
  })
  return (
    <form aria-label="Mail server" onSubmit={tryAndKeep} className="mt-4 grid grid-cols-1 gap-x-8 gap-y-4 sm:grid-cols-[1fr_1fr]">
      <Labelled label="Host">
        {/* biome-ignore lint/a11y/noAutofocus: it was asked for by a press just now */}
        <input aria-label="Host" autoFocus placeholder="mail.office.example" className="blank-line" {...register('host', { required: true })} />
      </Labelled>
      <div className="grid grid-cols-[88px_1fr] gap-x-4">
        <Labelled label="Port">
          <input aria-label="Port" type="number" min="1" max="65535" className="blank-line" {...register('port', { required: true })} />
        </Labelled>
        <Labelled label="Security">
          <Controller
            control={control}
            name="security"
            render={({ field }) => (
              <Choice
                label="Security"
                value={field.value}
                options={SECURITY.map(({ value, label }) => ({ value, label }))}
                onChange={(value) => {
                  field.onChange(value)
                  if (!isPortGiven) setValue('port', SECURITY.find((s) => s.value === value)?.port ?? '587')
                }}
              />
            )}
          />
        </Labelled>
      </div>
      <Labelled label="User" note="Empty where the server asks nobody">
        <input aria-label="User" autoComplete="off" className="blank-line" {...register('user')} />
      </Labelled>
      <Labelled label="Password" note={set?.hasPassword ? 'Leave it empty to keep the one that is kept' : 'Kept sealed, and never shown again'}>
        <input aria-label="Password of the mail server" type="password" autoComplete="new-password" className="blank-line" {...register('password')} />
      </Labelled>
      <Labelled label="Sign mail for the domain (DKIM)" note={`Empty: mail is not signed. It would be ${domain}`}>
        <input aria-label="Sign mail for the domain" placeholder={domain} className="blank-line" {...register('domain')} />
      </Labelled>
      <Labelled label="Selector">
        <input aria-label="Selector" className="blank-line" {...register('selector')} />
      </Labelled>
      <Labelled label="Private key in PEM" note={set?.dkim ? 'Leave it empty to keep the one that is kept' : 'Leave it empty to have one made'} className="sm:col-span-2">
        <textarea aria-label="Private key in PEM" rows={2} spellCheck={false} className="blank-line font-mono text-xs" {...register('key')} />
      </Labelled>
      <Labelled label="At most so many messages a minute" note="Empty: as fast as the server takes them">
        <input aria-label="At most so many messages a minute" type="number" min="1" className="blank-line" {...register('perMinute')} />
      </Labelled>
      <Labelled label="At most so many recipients at once" note="Empty: 100, which every server takes">
        <input aria-label="At most so many recipients at once" type="number" min="1" max="1000" className="blank-line" {...register('mostRecipients')} />
      </Labelled>
      <div className="flex flex-wrap items-center gap-6 sm:col-span-2">
        <Button kind="main" type="submit" disabled={busy}>
          Send me a test and use it
        </Button>
        <Button disabled={busy} onClick={handleSubmit((given) => keep(serverOf(given)))}>
          Use it untried
        </Button>
        <Button onClick={onLeave}>Leave it</Button>
      </div>
    </form>
  )
}

/** What the server and Rappel said to each other, and what came of it. */
function Talk({ tried, me }: { tried: Tried; me: string }) {
  return (
    <div className="mt-4" role={tried.accepted ? 'status' : 'alert'}>
      <p className={`border-l-4 pl-3 ${tried.accepted ? 'border-calm' : 'border-alarm'}`}>
        {tried.accepted ? (
          <>
            The server took the mail to {me}: <span className="font-mono text-sm">{tried.reply}</span>
          </>
        ) : (
          <>
            <b className="text-alarm">No mail was sent.</b> <span className="font-mono text-sm">{tried.reply}</span>
          </>
        )}
      </p>
      {tried.said.length > 0 && (
        <details className="mt-2" open={!tried.accepted}>
          <summary className="cursor-pointer text-muted text-sm">What was said</summary>
          <ol className="mt-1 max-h-64 overflow-auto border-rule border-t font-mono text-xs leading-relaxed">
            {tried.said.map(({ by, line }, i) => (
              <li key={i} className="grid grid-cols-[64px_minmax(0,1fr)] gap-2">
                <span className={by === 'server' ? 'text-spruce' : 'text-muted'}>{by}</span>
                <span className="break-all">{line}</span>
              </li>
            ))}
          </ol>
        </details>
      )}
    </div>
  )
}
