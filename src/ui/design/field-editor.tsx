'use client'

import { useState } from 'react'
import { toast } from 'sonner'
import { snakeName } from '@/core/bulk/propose'
import { faultOf } from '@/core/must'
import { FIELD_TYPES, type FieldDef, type FieldType, type TableDef } from '@/core/values/tables'
import type { Use } from '@/store/design/mentions'
import type { Retyping } from '@/store/design/retype'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Confirm } from '../parts/confirm'
import { Labelled } from '../parts/labelled'
import { counted } from '../today/summary'
import { Choices, type EditedChoice, editedChoices, renamedChoices } from './choices'
import { type Asked, keepField, removeField, usesIn } from './deeds'
import { AskedUses, UseList } from './use-list'

interface Props {
  readonly table: TableDef
  readonly field: FieldDef
  readonly tables: readonly { readonly name: string; readonly label: string }[]
  /** Told when it was kept or removed: the name that the field has now, null where it is gone. */
  readonly onKept: (name: string | null) => void
  readonly onFold: () => void
}

const FLAGS = [
  ['required', 'Must be filled'],
  ['unique', 'No two records alike'],
  ['housekeeping', 'Housekeeping: its changes do not count'],
] as const

/** Everything that a field is, edited in place; what would be lost or go along is asked about before. */
export function FieldEditor({ table, field, tables, onKept, onFold }: Props) {
  const [own, setOwn] = useState(field)
  const [choices, setChoices] = useState<readonly EditedChoice[]>(() => editedChoices(field.choices))
  const [asked, setAsked] = useState<Asked | null>(null)
  const [said, setSaid] = useState({ rename: false, choices: false, lost: false })
  const [removing, setRemoving] = useState<readonly Use[] | null>(null)
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const isTheirs = table.attached !== undefined
  const mayRetype = !isTheirs || OF_TEXTS.includes(field.type)
  const edited: FieldDef = own.type === 'choice' ? { ...own, choices: choices.map((choice) => choice.is) } : own
  const put = (change: Partial<FieldDef>) => setOwn({ ...own, ...change })
  const keep = async (yes = said) => {
    setBusy(true)
    setFault(null)
    setSaid(yes)
    try {
      const question = await keepField(table, field, cleaned(edited), isTheirs || edited.type !== 'choice' ? {} : renamedChoices(choices), yes)
      if (question) return setAsked(question)
      toast.success(`${edited.label} is kept.`)
      onKept(edited.name)
    } catch (error) {
      setFault(faultOf(error))
    } finally {
      setBusy(false)
    }
  }
  const remove = async (anyway: boolean) => {
    setFault(null)
    try {
      await removeField(table.name, field.name, anyway)
      toast.success(`${field.label} is removed. What was recorded of it stays in the change log.`)
      onKept(null)
    } catch (error) {
      const uses = usesIn(error)
      if (uses?.length) setRemoving(uses)
      else setFault(faultOf(error))
    }
  }
  return (
    <form
      aria-label={`Editor of ${field.label}`}
      className="grid grid-cols-2 gap-x-8 gap-y-4 bg-rope-wash px-3 py-4"
      onSubmit={(event) => {
        event.preventDefault()
        void keep()
      }}
      onKeyDown={(event) => {
        if (event.key === 'Escape') onFold()
      }}
    >
      <Labelled label="Label" note="What people read">
        {/* biome-ignore lint/a11y/noAutofocus: it was opened by a press just now */}
        <input aria-label="Label" autoFocus className="blank-line" value={edited.label} onChange={(e) => put({ label: e.target.value })} />
      </Labelled>
      <Labelled label="Name" note="In placeholders, formulas and the API; whatever speaks of it goes along">
        <input aria-label="Name" className="blank-line font-mono text-sm" spellCheck={false} value={edited.name} onChange={(e) => put({ name: e.target.value })} />
      </Labelled>
      <Labelled label="Holds">
        {mayRetype ? <TypeChoice field={edited} tables={isTheirs ? [] : tables} among={isTheirs ? OF_TEXTS : null} onPut={put} /> : <span>{edited.type}</span>}
      </Labelled>
      {isTheirs ? (
        <span />
      ) : edited.type === 'text' ? (
        <Labelled label="Automatic number" note="A pattern such as CL-{0000}; empty where people write it">
          <input aria-label="Automatic number" className="blank-line" value={edited.number ?? ''} onChange={(e) => put({ number: e.target.value || undefined })} />
        </Labelled>
      ) : (
        <DefaultField field={edited} onPut={put} />
      )}
      {edited.type === 'choice' && (
        <div className="col-span-2">
          <Choices
            choices={choices}
            marks={edited.marks ?? {}}
            onChange={(next, marks) => {
              setChoices(next)
              put({ marks: Object.keys(marks).length ? marks : undefined })
            }}
          />
        </div>
      )}
      <div className="col-span-2 flex flex-wrap gap-x-6 gap-y-2">
        {FLAGS.filter(([flag]) => !isTheirs || flag === 'housekeeping').map(([flag, words]) => (
          <label key={flag} className="flex items-baseline gap-1.5 text-sm">
            <input type="checkbox" className="accent-spruce" checked={edited[flag] ?? false} onChange={(e) => put({ [flag]: e.target.checked || undefined })} />
            {words}
          </label>
        ))}
      </div>
      {fault && (
        <p role="alert" className="col-span-2 border-alarm border-l-4 pl-3">
          {fault}
        </p>
      )}
      <div className="col-span-2 flex items-center gap-6">
        <Button kind="main" type="submit" disabled={busy || JSON.stringify(edited) === JSON.stringify(field)}>
          Keep it
        </Button>
        <Button onClick={onFold}>Leave it</Button>
        {!isTheirs && (
          <Button kind="alarm" className="ml-auto" onClick={() => void remove(false)}>
            Remove the field
          </Button>
        )}
      </div>
      <Confirm
        open={asked !== null}
        setOpen={(open) => !open && setAsked(null)}
        title={titleOf(asked, field, edited)}
        deed={
          asked?.kind === 'lost'
            ? `${isOfChoices(field, edited) ? 'Take it away' : 'Convert it'}${asked.told.kept < asked.told.filled ? ', and blank those' : ''}`
            : 'Rename it everywhere'
        }
        leave="Leave it"
        kind={asked?.kind === 'lost' ? 'alarm' : 'main'}
        onDeed={() => asked && void keep({ ...said, [asked.kind]: true })}
        before={asked?.kind === 'lost' ? <Lost told={asked.told} /> : asked && <AskedUses uses={asked.uses} />}
      >
        {asked?.kind === 'lost'
          ? lostWords(asked.told, field, edited)
          : asked?.kind === 'choices'
            ? 'Records keep it under its new name, and nothing counts as changed. What speaks of it goes along in the same moment; live versions go on under their numbers. Texts and formulas stay as they are written.'
            : 'These speak of it by its name now, and go along in the same moment. Live versions go on under their numbers.'}
      </Confirm>
      <Confirm
        open={removing !== null}
        setOpen={(open) => !open && setRemoving(null)}
        title={`Remove ${field.label} all the same?`}
        deed="Remove it, and pause those"
        leave="Keep it"
        kind="alarm"
        onDeed={() => void remove(true)}
        before={removing && <AskedUses uses={removing} />}
      >
        These use it. Live workflows among them are paused until they are mended.
      </Confirm>
    </form>
  )
}

/** Whether only the choices of a field are others. */
const isOfChoices = (field: FieldDef, edited: FieldDef) => field.type === 'choice' && edited.type === 'choice'

function titleOf(asked: Asked | null, field: FieldDef, edited: FieldDef): string {
  if (asked?.kind === 'rename') return `Call it ${edited.name} everywhere?`
  if (asked?.kind !== 'choices') return isOfChoices(field, edited) ? 'A choice that is gone is still in use' : 'Some values do not convert'
  const [[was, is] = [], ...others] = Object.entries(asked.renamed)
  return others.length ? `Call ${counted(others.length + 1, 'choice')} otherwise everywhere?` : `Call “${was}” “${is}” everywhere?`
}

/** What would be lost, in words. */
function lostWords({ filled, kept, gone }: Retyping, field: FieldDef, edited: FieldDef): string {
  const lost = filled - kept
  const those = lost === 1 ? 'has it, and would be blank' : 'have it, and would be blank'
  return [
    ...(isOfChoices(field, edited)
      ? lost > 0
        ? [`${lost.toLocaleString('en-GB')} of ${counted(filled, 'record')} ${those}.`]
        : []
      : [`Of ${counted(filled, 'value')}, ${kept.toLocaleString('en-GB')} become ${edited.type}. The others would be blank.`]),
    ...(gone.length ? ['These speak of it, and never meet it again.'] : []),
  ].join(' ')
}

function Lost({ told: { lost, gone } }: { told: Retyping }) {
  return (
    <>
      {gone.length > 0 && (
        <div className="mb-3 max-h-40 overflow-auto">
          <UseList uses={gone} />
        </div>
      )}
      {lost.length > 0 && <LostValues lost={lost} />}
    </>
  )
}

function LostValues({ lost }: { lost: Retyping['lost'] }) {
  return (
    <ul className="mb-5 max-h-60 overflow-auto border-rule border-b text-sm">
      {lost.map(({ value, records, message }) => (
        <li key={value} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 border-rule border-t py-1">
          <b className="truncate font-semibold">{value}</b>
          <span className="figures">{counted(records, 'record')}</span>
          <span className="col-span-2 text-muted">{message}</span>
        </li>
      ))}
    </ul>
  )
}

/** What a text of another program's table may be taken for. */
const OF_TEXTS: readonly FieldType[] = ['text', 'long text', 'email', 'phone', 'choice', 'folder']

interface TypeProps {
  readonly field: FieldDef
  readonly tables: Props['tables']
  /** The types there are to choose among; null: all. */
  readonly among: readonly FieldType[] | null
  readonly onPut: (change: Partial<FieldDef>) => void
}

function TypeChoice({ field, tables, among, onPut }: TypeProps) {
  const links = tables.map((t) => ({ value: `link ${t.name}`, label: `link to ${t.label}` }))
  const options = [...FIELD_TYPES.filter((t) => t !== 'link' && (!among || among.includes(t))).map((t): { value: string; label: string } => ({ value: t, label: t })), ...links]
  const choose = (value: string) => {
    const clean = { choices: undefined, marks: undefined, table: undefined, number: undefined, default: undefined }
    if (value.startsWith('link ')) return onPut({ ...clean, type: 'link', table: value.slice(5) })
    const type = FIELD_TYPES.find((t) => t === value) ?? 'text'
    onPut({ ...clean, type })
  }
  return <Choice label="Holds" value={field.type === 'link' ? `link ${field.table}` : field.type} options={options} onChange={choose} />
}

const WITH_DEFAULT: readonly FieldType[] = ['number', 'money', 'yes/no', 'choice', 'long text', 'email', 'phone', 'folder']

function DefaultField({ field, onPut }: { field: FieldDef; onPut: (change: Partial<FieldDef>) => void }) {
  if (!WITH_DEFAULT.includes(field.type)) return <span />
  if (field.type === 'choice' || field.type === 'yes/no') {
    const values = field.type === 'choice' ? (field.choices ?? []) : ['yes', 'no']
    const shown = typeof field.default === 'boolean' ? (field.default ? 'yes' : 'no') : field.default
    return (
      <Labelled label="A new record has">
        <Choice
          label="A new record has"
          value={shown === undefined || shown === null ? '\u0000' : String(shown)}
          options={[{ value: '\u0000', label: 'nothing yet' }, ...values.filter(Boolean).map((v) => ({ value: v, label: v }))]}
          onChange={(v) => onPut({ default: v === '\u0000' ? undefined : field.type === 'yes/no' ? v === 'yes' : v })}
        />
      </Labelled>
    )
  }
  const isNumber = field.type === 'number' || field.type === 'money'
  return (
    <Labelled label="A new record has">
      <input
        aria-label="A new record has"
        type={isNumber ? 'number' : 'text'}
        step="any"
        className="blank-line"
        value={field.default === undefined || field.default === null ? '' : String(field.default)}
        onChange={(e) => onPut({ default: e.target.value === '' ? undefined : isNumber ? Number(e.target.value) : e.target.value })}
      />
    </Labelled>
  )
}

/** A field without the choices that were left empty, and without what its type does not have. */
function cleaned(field: FieldDef): FieldDef {
  const choices = field.choices?.map((c) => c.trim()).filter(Boolean)
  return { ...field, name: snakeName(field.name, 'field'), label: field.label.trim(), ...(field.type === 'choice' ? { choices } : {}) }
}
