'use client'

import { Command } from 'cmdk'
import { useEffect, useMemo, useRef, useState } from 'react'
import type { Action, Limits, Recipient } from '@/core/document/document'
import { LIMIT_PARTS, limitWords } from '@/core/limits/words'
import { beginsInOrder } from '@/core/values/begins'
import { withArticle } from '@/core/values/naming'
import { recipientWords } from '@/core/words/brief'
import { withTexts } from '@/core/words/facts'
import { firstRecipient, standingField } from '@/core/words/starters'
import { installationOf } from '../words/known'
import { listsAt, type Place, pathsAt } from './place'
import { recipientOptions } from './recipients-field'
import { type SaidLines, saidLines } from './said'
import { NEW_CLAUSE, newEmail } from './state'
import { freeActionName, type LineKind } from './tree'

/** A line that can be added, by the words that are typed for it. */
interface Offer {
  readonly words: string
  readonly role: string
  readonly kind: LineKind
  readonly value: unknown
}

type AddPlace = Pick<Place, 'document' | 'table' | 'roots' | 'wording' | 'setting'>

const said = (name: string) => name.replaceAll('_', ' ')

/** Roles of the lines that a member's own workflow may have. */
const FOR_MEMBERS = ['email', 'where', 'bring', 'value', 'choose', 'each']

/** A task or a record as it begins: for the owner, in two days; with the link back and what is named alike. */
const filledIn = (action: Action, { document, wording }: AddPlace): Action => withTexts({ ...document, actions: [action] }, new Map(), wording).actions[0] ?? action

/** Every line that can be added at a place: conditions by field, things to bring in, emails by who gets them, and the other actions. */
function offersAt(place: AddPlace): Offer[] {
  const { document, table, setting, wording } = place
  const action = (words: string, role: string, word: string, make: (name: string) => Action): Offer => ({
    words,
    role,
    kind: 'action',
    value: make(freeActionName(document, word)),
  })
  const conditions = pathsAt({ ...place, roots: new Map() }).filter((o) => o.value !== 'id')
  const people = recipientOptions(place).flatMap((o) => (o.value.startsWith('{') ? [JSON.parse(o.value) as Recipient] : []))
  const offers: Offer[] = [
    ...people.map((entry) => action(`email ${recipientWords(entry, table, wording)}`, 'email', 'email', (name) => ({ ...newEmail(name, null), to: [entry] }))),
    action('email an address', 'email', 'email', (name) => ({ ...newEmail(name, null), to: [{ address: '' }] })),
    ...conditions.map((o): Offer => ({ words: `condition on ${o.label}`, role: 'where', kind: 'condition', value: { ...NEW_CLAUSE, field: o.value } })),
    { words: 'group of conditions, any of which holds', role: 'where', kind: 'condition', value: { any: [NEW_CLAUSE] } },
    ...listsAt({ ...place, roots: new Map() }).map(
      (l): Offer => ({ words: `bring in ${l.option.label}`, role: 'bring', kind: 'bring in', value: { name: l.table.name, list: l.option.value } }),
    ),
    { words: 'bring in something else', role: 'bring', kind: 'bring in', value: { name: '' } },
    { words: 'value worked out by a formula', role: 'value', kind: 'value', value: { name: 'value', formula: '' } },
    ...setting.channels.map((channel) => action(`notice to the channel ${channel}`, 'notice', 'notice', (name) => ({ name, do: 'notice', channel, text: '' }))),
    action('notice to people', 'notice', 'notice', (name) => ({ name, do: 'notice', to: [], text: '' })),
    ...table.fields.map((f) =>
      action(`update ${f.label.toLowerCase()} of the ${said(table.singular)}`, 'update', 'update', (name) => ({ name, do: 'update', set: { [f.name]: null } })),
    ),
    ...[...wording.schema.values()]
      .filter((t) => t.name !== 'person')
      .map((t) => action(`create ${withArticle(said(t.singular))}`, 'create', t.singular, (name) => filledIn({ name, do: 'create', table: t.name, set: {} }, place))),
    action('task for somebody', 'task', 'task', (name) => filledIn({ name, do: 'task', subject: '' }, place)),
    action('choose by conditions', 'choose', 'choice', (name) => ({ name, do: 'choose', branches: [{ when: { all: [NEW_CLAUSE] }, actions: [] }] })),
    ...listsAt(place).map((l) => action(`for each of ${l.option.label}`, 'each', 'each', (name) => ({ name, do: 'each', of: l.option.value, as: l.table.singular, actions: [] }))),
  ]
  return setting.onlyTo ? offers.filter((o) => FOR_MEMBERS.includes(o.role) && o.words !== 'email an address') : offers
}

/** Lines that can be typed here, made of the table's own fields: what the row offers as examples has to work. */
function examplesOf({ table, wording, setting }: AddPlace): string[] {
  const to = firstRecipient(table)[0]
  const choice = standingField(table)
  const isTable = table.none === undefined
  return [
    to ? `email ${recipientWords(to, table, wording)}` : 'email me',
    ...(isTable && choice?.choices?.[0] ? [`${choice.label.toLowerCase()} is ${choice.choices[0]}`] : []),
    ...(isTable && table.ownerField && !setting.onlyTo ? ['task for owner in 2 days'] : []),
    ...(setting.onlyTo ? [] : ['quiet 22:00 to 07:00']),
  ]
}

/** Limits to begin with, where "limit" or a part of their words is typed. */
const SUGGESTED: readonly Limits[] = [
  { spacing: { per: 'record', every: 'PT1H' } },
  { digest: { at: ['08:00', '16:00'] } },
  { quietHours: { from: '22:00', to: '07:00' } },
  { perDay: 200 },
  { mayGather: true },
  { mayStop: true },
  { quietHours: 'organisation' },
  { digest: { at: 'organisation' } },
]

const wordsOf = (limits: Limits, { table }: AddPlace) => LIMIT_PARTS.map((part) => limitWords(part, limits, table.singular.replaceAll('_', ' '))).join('')

/** Limits whose words have what was typed. */
function limitOffers(text: string, place: AddPlace): Limits[] {
  if (place.setting.onlyTo) return []
  const part = text.trim().toLowerCase()
  return part.length < 3 ? [] : SUGGESTED.filter((s) => 'limit'.startsWith(part) || part.startsWith('limit') || wordsOf(s, place).includes(part))
}

/** The quiet row at the end of a brief: what is to be added is typed as words and completed. */
export function Adder({
  place,
  chosen,
  onAdd,
  onSaid,
  onLimits,
  inputRef,
}: {
  place: AddPlace
  /** JSON Pointer of the chosen line, near which lines are added. */
  chosen: string
  onAdd: (kind: LineKind, value: unknown) => void
  /** Takes lines that were said: "done is yes", "email its owner", "in review for 5 days", "no more than one per claim an hour". */
  onSaid: (said: SaidLines) => void
  /** Takes a limit that was chosen. */
  onLimits: (limits: Limits) => void
  inputRef: React.RefObject<HTMLInputElement | null>
}) {
  const [text, setText] = useState('')
  const [open, setOpen] = useState(false)
  const box = useRef<HTMLDivElement>(null)
  const list = useRef<HTMLDivElement>(null)
  // what is offered stands in sight, also where the row is at the end of the page
  useEffect(() => {
    if (open) list.current?.scrollIntoView({ block: 'nearest' })
  }, [open])
  const installation = useMemo(() => installationOf(place.setting), [place.setting])
  const { document, setting } = place
  const said = useMemo(() => (open && !setting.onlyTo ? saidLines(text, document, chosen, installation) : null), [open, setting, text, document, chosen, installation])
  const close = () => {
    setOpen(false)
    setText('')
  }
  return (
    <Command
      ref={box}
      label="Add a line"
      filter={(value, typed) => (beginsInOrder(value, typed) ? 1 : 0)}
      className="relative"
      onBlur={(event) => !box.current?.contains(event.relatedTarget) && setOpen(false)}
      onKeyDown={(event) => {
        if (event.key !== 'Escape' || !open) return
        event.stopPropagation()
        close()
        inputRef.current?.blur()
      }}
    >
      <div className="grid grid-cols-[3rem_minmax(0,1fr)] items-baseline border-rule border-b px-2 py-2">
        <span aria-hidden className="text-muted">
          +
        </span>
        <Command.Input
          ref={inputRef}
          value={text}
          onValueChange={(next) => {
            setText(next)
            setOpen(true) // also where it kept the focus after a line was added
          }}
          onFocus={() => setOpen(true)}
          placeholder={`Add a line: ${examplesOf(place).join(', ')} …`}
          className="w-full bg-transparent font-serif text-lg outline-none"
        />
      </div>
      <Command.List ref={list} className={open ? 'absolute z-40 max-h-72 w-full overflow-y-auto border border-rule border-t-0 bg-sheet p-1 shadow-lg' : 'hidden'}>
        {open && (
          <>
            <Command.Empty className="px-3 py-3 text-muted">
              No line is made of that. Try email, notice, condition, bring in, update, create, task, choose, for each, limit.
            </Command.Empty>
            {said && (
              <Command.Item
                value={`${text} said`}
                onSelect={() => {
                  close()
                  onSaid(said)
                }}
                className="cursor-pointer rounded-sm px-2 py-1 data-[selected=true]:bg-spruce-wash"
              >
                {said.lines.map((line) => (
                  <span key={line.path} className="grid grid-cols-[5.25rem_minmax(0,1fr)] items-baseline">
                    <span className="role-word text-spruce">{line.role || (line.kind === 'clause' ? 'where' : '')}</span>
                    <span className="truncate" style={{ paddingLeft: `${Math.max(0, line.depth - (line.kind === 'clause' ? 1 : 0)) * 16}px` }}>
                      {line.words}
                    </span>
                  </span>
                ))}
              </Command.Item>
            )}
            {limitOffers(text, place).map((limits) => {
              const words = wordsOf(limits, place)
              return (
                <Command.Item
                  key={`limit ${words}`}
                  value={`${text} limit ${words}`}
                  onSelect={() => {
                    close()
                    onLimits(limits)
                  }}
                  className="grid cursor-pointer grid-cols-[5.25rem_minmax(0,1fr)] items-baseline rounded-sm px-2 py-1 data-[selected=true]:bg-spruce-wash"
                >
                  <span className="role-word text-spruce">limit</span>
                  <span className="truncate">{words}</span>
                </Command.Item>
              )
            })}
            {offersAt(place).map((offer) => (
              <Command.Item
                key={`${offer.role} ${offer.words}`}
                value={offer.words}
                onSelect={() => {
                  close()
                  onAdd(offer.kind, offer.value)
                }}
                className="grid cursor-pointer grid-cols-[5.25rem_minmax(0,1fr)] items-baseline rounded-sm px-2 py-1 data-[selected=true]:bg-spruce-wash"
              >
                <span className="role-word text-spruce">{offer.role}</span>
                <span className="truncate">{offer.words}</span>
              </Command.Item>
            ))}
          </>
        )}
      </Command.List>
    </Command>
  )
}
