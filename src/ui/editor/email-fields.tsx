'use client'

import { useState } from 'react'
import type { EmailAction, Recipient } from '@/core/document/document'
import { formatOf } from '@/core/message/format'
import { recipientWords } from '@/core/words/brief'
import { withoutText } from '@/core/words/follow'
import { deliveryOf } from '@/core/workflow/delivery'
import { listsOfTemplate } from '@/core/workflow/template-lists'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { AttachField } from './attach-field'
import { BodyField, SubjectField } from './body/body-field'
import { KeepTemplate } from './keep-template'
import { pathsAt, usePlace } from './place'
import { peopleOptions, RecipientsField, typedAddress } from './recipients-field'

const NONE = '\u0000none'

/** Everything about an email in one glance: who gets it, what it says, how it is sent. */
export function EmailFields({ action }: { action: EmailAction }) {
  const { put, path } = usePlace()
  const set = (part: keyof EmailAction) => (value: unknown) => put(`${path}/${part}`, value)
  const list = (part: 'cc' | 'bcc' | 'ifNobody') => (value: Recipient[]) => set(part)(value.length ? value : undefined)
  const [all, setAll] = useState(Boolean(action.ifNobody?.length || action.replyTo || action.attach?.length || action.about))
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-3 gap-8 max-sm:grid-cols-1">
        <RecipientsField label="To" part="to" entries={action.to} onChange={set('to')} />
        <RecipientsField label="Cc" part="cc" entries={action.cc ?? []} onChange={list('cc')} />
        <RecipientsField label="Bcc" part="bcc" entries={action.bcc ?? []} onChange={list('bcc')} />
      </div>
      {all && (
        <div className="grid grid-cols-2 gap-8 max-sm:grid-cols-1">
          <RecipientsField label="If nobody is left" part="ifNobody" entries={action.ifNobody ?? []} onChange={list('ifNobody')} />
        </div>
      )}
      <TextOrTemplate action={action} />
      <HowSent action={action} set={set} />
      {all ? <MoreFields action={action} set={set} /> : <Button onClick={() => setAll(true)}>Fallback, replies, attachments</Button>}
    </div>
  )
}

/** What it says: a template of the table, or a text of its own. */
function TextOrTemplate({ action }: { action: EmailAction }) {
  const { document, setting, wording, table, roots, put, path, keepTemplate } = usePlace()
  const about = action.about ? roots.get(action.about) : undefined
  const aboutTable = about?.kind === 'record' ? about.table : table
  const templates = setting.templates.filter((t) => t.table === aboutTable.name)
  const pick = (name: string) => {
    const { template: _, ...rest } = withoutText(action)
    const { bringIn = [] } = document
    const lists = setting.templates.find((t) => t.name === name)?.lists.filter((list) => !bringIn.some((b) => b.name === list.name)) ?? []
    if (lists.length > 0 && !action.about) put('/bringIn', [...bringIn, ...lists])
    put(path, name === NONE ? { ...rest, subject: '', body: '', format: 'rich' } : { ...rest, template: name })
  }
  return (
    <>
      {(templates.length > 0 || action.template) && (
        <Labelled label="Says" className="w-72">
          <Choice
            label="Says"
            value={action.template ?? NONE}
            options={[{ value: NONE, label: 'a text of its own' }, ...templates.map((t) => ({ value: t.name, label: t.name, note: 'template' }))]}
            onChange={pick}
          />
        </Labelled>
      )}
      {!action.template && (
        <>
          <SubjectField value={action.subject ?? ''} onChange={(v) => put(`${path}/subject`, v)} />
          <BodyField
            value={action.body ?? ''}
            format={action.format ?? formatOf(action.body ?? '')}
            onChange={(v) => put(`${path}/body`, v)}
            onFormat={(format, body) => put(path, { ...action, format, body })}
            canBringIn
          />
          {keepTemplate && !setting.onlyTo && (
            <KeepTemplate
              action={action}
              table={aboutTable.name}
              taken={setting.templates.map((t) => t.name)}
              onKept={(name, body) => {
                keepTemplate({ name, table: aboutTable.name, lists: listsOfTemplate({ table: aboutTable.name, body }, wording.schema) })
                pick(name)
              }}
            />
          )}
        </>
      )}
    </>
  )
}

type Set = (part: keyof EmailAction) => (value: unknown) => void

/** Stands for the priority that the template has. */
const TEMPLATES = 'of the template'

function HowSent({ action, set }: { action: EmailAction; set: Set }) {
  const { table, setting } = usePlace()
  const unsaid = action.template ? TEMPLATES : 'normal'
  return (
    <div className="grid grid-cols-3 gap-8 max-sm:grid-cols-1">
      <Labelled label="From">
        <Choice
          label="From"
          value={typeof action.from === 'object' ? `sender ${action.from.sender}` : (action.from ?? 'default')}
          options={[
            { value: 'default', label: 'the organisation' },
            ...(table.ownerField ? [{ value: 'owner', label: 'the owner’s name' }] : []),
            ...setting.senders.map((s) => ({ value: `sender ${s}`, label: s, note: 'sender' })),
          ]}
          onChange={(v) => set('from')(v === 'default' ? undefined : v === 'owner' ? v : { sender: v.slice(7) })}
        />
      </Labelled>
      <Labelled label="Sent">
        <Choice
          label="Sent"
          value={deliveryOf(action)}
          options={[
            { value: 'together', label: 'one mail to all' },
            { value: 'each', label: 'one each' },
          ]}
          onChange={(v) => set('delivery')(v === deliveryOf({ to: action.to }) ? undefined : v)}
        />
      </Labelled>
      <Labelled label="Priority">
        <Choice
          label="Priority"
          value={action.priority ?? unsaid}
          options={[...(action.template ? [{ value: TEMPLATES, label: 'as the template' }] : []), ...['low', 'normal', 'high'].map((p) => ({ value: p, label: p }))]}
          onChange={(v) => set('priority')(v === unsaid ? undefined : v)}
        />
      </Labelled>
    </div>
  )
}

/** What few emails need: where replies go, what it is about, what goes along. */
function MoreFields({ action, set }: { action: EmailAction; set: Set }) {
  const place = usePlace()
  const { roots, table } = place
  const named = [...roots].filter(([name, root]) => root.kind === 'record' && !['record', 'before', table.singular].includes(name)).map(([name]) => name)
  const paths = pathsAt(place, ['person', 'email']).map((o) => ({ ...o, value: JSON.stringify({ field: o.value }) }))
  const people = place.setting.onlyTo ? [] : peopleOptions(place.setting).map((o) => ({ ...o, value: JSON.stringify({ address: o.value }) }))
  const reply = action.replyTo ? JSON.stringify(action.replyTo) : NONE
  const replies = [...paths, ...people]
  return (
    <div className="grid grid-cols-3 gap-8 max-sm:grid-cols-1">
      <Labelled label="Replies go to">
        <Choice
          label="Replies go to"
          value={reply}
          options={[
            { value: NONE, label: 'whom it is from' },
            ...replies,
            ...(action.replyTo && !replies.some((r) => r.value === reply) ? [{ value: reply, label: recipientWords(action.replyTo, table, place.wording) }] : []),
          ]}
          onChange={(v) => set('replyTo')(v === NONE ? undefined : JSON.parse(v))}
          typed={place.setting.onlyTo ? undefined : typedAddress}
        />
      </Labelled>
      <Labelled label="About">
        <Choice
          label="About"
          value={action.about ?? NONE}
          options={[{ value: NONE, label: `the ${table.singular.replaceAll('_', ' ')}` }, ...named.map((name) => ({ value: name, label: `the ${name.replaceAll('_', ' ')}` }))]}
          onChange={(v) => set('about')(v === NONE ? undefined : v)}
        />
      </Labelled>
      <AttachField entries={action.attach ?? []} onChange={(attach) => set('attach')(attach.length ? attach : undefined)} />
    </div>
  )
}
