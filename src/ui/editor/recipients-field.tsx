'use client'

import { shapeOf } from '@/core/cues/kinds'
import type { BringIn, Recipient } from '@/core/document/document'
import { must } from '@/core/must'
import { isAddress } from '@/core/recipients/address'
import { spokenPath } from '@/core/values/naming'
import type { TableDef } from '@/core/values/tables'
import { targetOf } from '@/core/values/tables'
import { recipientWords } from '@/core/words/brief'
import { Choice, type Option } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { lastFirst, rememberRecipient } from './last-recipients'
import { linkedListsAt, listsAt, type Place, pathsAt, usePlace } from './place'

interface Props {
  readonly label: string
  /** The part of the action that holds the entries. */
  readonly part: 'to' | 'cc' | 'bcc' | 'ifNobody'
  readonly entries: readonly Recipient[]
  readonly onChange: (entries: Recipient[]) => void
}

const NEW_ADDRESS = 'address'
const NEW_TEXT = 'text'

/** Who gets it: each entry in words with whom it yields for the sample record, and a list of whom else there is. */
export function RecipientsField({ label, part, entries, onChange }: Props) {
  const place = usePlace()
  const { table, wording } = place
  const fresh: Record<string, Recipient> = { [NEW_ADDRESS]: { address: '' }, [NEW_TEXT]: { text: '' } }
  const isGuess = part === 'to' && place.guessed !== null && entries.length > 0 && JSON.stringify(entries) === JSON.stringify(place.guessed)
  const add = (key: string) => {
    const linked = linkedRecipients(place).find((l) => l.option.value === key)
    if (linked) place.put('/bringIn', [...(place.document.bringIn ?? []), linked.bring])
    onChange([...(isGuess ? [] : entries), linked?.entry ?? fresh[key] ?? (JSON.parse(key) as Recipient)])
  }
  const set = (i: number, entry: Recipient) => onChange(entries.map((e, n) => (n === i ? entry : e)))
  return (
    <Labelled label={label}>
      <ul>
        {entries.map((entry, i) => (
          <li key={i}>
            <div className="flex items-baseline gap-2">
              {'address' in entry || 'text' in entry ? (
                <input
                  aria-label={`${label}, ${'address' in entry ? 'address' : 'text'}`}
                  className="blank-line"
                  placeholder={'address' in entry ? 'someone@example.org' : '{{ asked.addresses }}'}
                  value={'address' in entry ? entry.address : entry.text}
                  onChange={(e) => set(i, 'address' in entry ? { address: e.target.value } : { text: e.target.value })}
                />
              ) : (
                <span className="flex-1 py-0.5">{recipientWords(entry, table, wording)}</span>
              )}
              <button
                type="button"
                aria-label={`Take ${recipientWords(entry, table, wording)} away`}
                className="px-1 text-muted hover:text-alarm"
                onClick={() => onChange(entries.filter((_, n) => n !== i))}
              >
                ×
              </button>
            </div>
            <Yield path={`${place.path}/${part}/${i}`} place={place} />
          </li>
        ))}
      </ul>
      <Choice
        label={`Add to ${label}`}
        value={null}
        placeholder={isGuess ? 'or rather …' : entries.length ? 'and …' : 'Choose who …'}
        options={lastFirst(recipientOptions(place))}
        onChange={(key) => {
          rememberRecipient(key)
          add(key)
        }}
        typed={place.setting.onlyTo ? undefined : typedAddress}
      />
    </Labelled>
  )
}

/** Those on the lists of what the record points at, such as the contacts of its company, with what has to be brought in for them. */
function linkedRecipients(place: Pick<Place, 'document' | 'table' | 'wording'>): { option: Option; entry: Recipient; bring: BringIn }[] {
  return linkedListsAt(place)
    .filter(({ bring }) => !place.document.bringIn?.some((b) => b.list === bring.list && b.of === bring.of))
    .flatMap(({ option, table, bring }) =>
      addressFields(table, place.wording.schema).map((field) => ({
        option: { value: `${option.value} ${field}`, label: `the ${spokenPath(field)} of each of the ${option.label}`, note: 'list' },
        entry: { list: bring.name, field },
        bring,
      })),
    )
}

/** Everybody by e-mail, oneself first. */
export function peopleOptions({ me, people }: Pick<Place['setting'], 'me' | 'people'>): Option[] {
  const others = people.filter((p) => p.active && p.email !== me).map((p) => ({ value: p.email, label: p.name, note: p.email }))
  return me === null ? others : [{ value: me, label: 'me', note: me }, ...others]
}

/** An address that is typed is a choice of its own. */
export const typedAddress = (text: string): Option | null => (isAddress(text) ? { value: JSON.stringify({ address: text }), label: `write to ${text}`, note: 'address' } : null)

/** Whom an entry yields for the sample record, and what was dropped and why. */
function Yield({ path, place }: { path: string; place: Place }) {
  const got = [...new Set(place.plan?.messages.flatMap((m) => m.recipients.filter((r) => r.path === path).map((r) => r.address)) ?? [])]
  const dropped = place.plan?.notes.filter((n) => n.path === path) ?? []
  if (got.length === 0 && dropped.length === 0) return null
  return (
    <div className="pb-1 text-xs">
      {got.length > 0 && (
        <p className="truncate text-calm" title={got.join(', ')}>
          {got.slice(0, 3).join(', ')}
          {got.length > 3 && ` and ${got.length - 3} more`}
        </p>
      )}
      {dropped.slice(0, 3).map((n) => (
        <p key={n.message} className="text-rope">
          {n.message}
        </p>
      ))}
      {dropped.length > 3 && <p className="text-rope">and {dropped.length - 3} more</p>}
    </div>
  )
}

/** Everybody who can be named at a place, by kind. */
export function recipientOptions(place: Pick<Place, 'document' | 'table' | 'roots' | 'wording' | 'setting'>): Option[] {
  const { document, table, wording, setting } = place
  if (setting.onlyTo) return [{ value: JSON.stringify({ address: setting.onlyTo }), label: setting.onlyTo, note: 'me' }]
  const entries: { entry: Recipient; note: string }[] = []
  for (const { value, note } of pathsAt(place, ['person', 'email'])) {
    if (['created_at', 'updated_at'].includes(value)) continue
    entries.push({ entry: { field: value }, note: must(note) })
    if (note === 'person' && !value.includes('manager')) entries.push({ entry: { managerOf: value }, note: 'manager' })
  }
  for (const { option, table: listed } of listsAt(place))
    for (const field of addressFields(listed, wording.schema)) entries.push({ entry: { list: option.value, field }, note: 'list' })
  if (shapeOf(document, table).changeParts.includes('by')) entries.push({ entry: { changedBy: true }, note: 'person' })
  entries.push(...setting.groups.map((group) => ({ entry: { group }, note: 'group' })), ...setting.teams.map((team) => ({ entry: { team }, note: 'team' })))
  return [
    ...entries.map(({ entry, note }) => ({ value: JSON.stringify(entry), label: recipientWords(entry, table, wording), note })),
    ...linkedRecipients(place).map((l) => l.option),
    ...peopleOptions(setting).map((o) => ({ ...o, value: JSON.stringify({ address: o.value }) })),
    { value: NEW_ADDRESS, label: 'an address …' },
    { value: NEW_TEXT, label: 'addresses in a text …' },
  ]
}

/** Paths from an entry of a list to an address, one link far. */
function addressFields(table: TableDef, schema: ReadonlyMap<string, TableDef>): string[] {
  return table.fields.flatMap((f) => {
    if (f.type === 'email' || f.type === 'person') return [f.name]
    const target = f.type === 'link' ? schema.get(must(targetOf(f))) : undefined
    return target?.fields.filter((g) => g.type === 'email' || g.type === 'person').map((g) => `${f.name}.${g.name}`) ?? []
  })
}
