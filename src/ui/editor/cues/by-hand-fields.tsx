'use client'

import { ASK_TYPES, type Ask, type ByHandCue } from '@/core/document/document'
import { figuresOf } from '@/core/figures/of-table'
import type { TableDef } from '@/core/values/tables'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { OverField } from './over-field'
import type { CueProps } from './props'
import { SomeOf } from './some-of'

const PER = [
  { value: 'record', label: 'each record chosen' },
  { value: 'all', label: 'the records chosen, together' },
  { value: 'none', label: 'no record' },
  { value: 'group', label: 'each group of a figure' },
] as const

const ROLES = ['administrator', 'editor', 'member'] as const
const TYPES = ASK_TYPES.map((value) => ({ value, label: value }))

/** By hand: what it runs once for, who may, and the questions that are asked. */
export function ByHandFields({ cue, table, setting, put }: CueProps & { readonly cue: ByHandCue }) {
  const ask = cue.ask ?? []
  const putAsk = (next: readonly Ask[]) => put('/cue/ask', next.length ? next : undefined)
  return (
    <>
      <Labelled label="Once for">
        <Choice label="Once for" value={cue.per ?? 'record'} options={PER} onChange={(per) => put('/cue', perOf(cue, table, per))} />
      </Labelled>
      {cue.per === 'group' && <OverField table={table} over={cue.over?.figure} onOver={(figure) => put('/cue/over', { figure })} />}
      <Who cue={cue} teams={setting.teams} groups={setting.groups} onWho={(who) => put('/cue/who', who)} />
      <section aria-label="Questions" className="col-span-2">
        <p className="text-muted text-xs">Asks{ask.length === 0 && ' nothing yet'}</p>
        <ol>
          {ask.map((question, i) => (
            <QuestionRow key={i} question={question} onChange={(next) => putAsk(ask.map((q, n) => (n === i ? next : q)))} onRemove={() => putAsk(ask.filter((_, n) => n !== i))} />
          ))}
        </ol>
        <Button onClick={() => putAsk([...ask, { name: '', label: '', type: 'text' }])}>Add a question</Button>
      </section>
    </>
  )
}

/** The same cue, run once for something else; per group it goes through the first figure that there is. */
function perOf({ over, per: _, ...rest }: ByHandCue, table: TableDef | undefined, per: NonNullable<ByHandCue['per']>): ByHandCue {
  if (per === 'record') return rest
  return { ...rest, per, ...(per === 'group' ? { over: over ?? { figure: figuresOf(table)[0]?.name ?? '' } } : {}) }
}

/** The name that texts speak of a question by, from its words: "Also to" is `also_to`. */
const nameFrom = (label: string) =>
  label
    .toLowerCase()
    .normalize('NFKD')
    .replaceAll(/[^a-z0-9]+/g, '_')
    .replaceAll(/^[_\d]+|_+$/g, '')
    .slice(0, 40)

function QuestionRow({ question, onChange, onRemove }: { question: Ask; onChange: (question: Ask) => void; onRemove: () => void }) {
  const { name, label, type, required, choices } = question
  const isNamedAfter = name === '' || name === nameFrom(label)
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_9rem_6rem_auto] items-end gap-x-4 border-rule border-t py-1.5">
      <Labelled
        label="Question"
        note={
          name && (
            <>
              In texts: <span className="font-mono">{`{{ asked.${name} }}`}</span>
            </>
          )
        }
      >
        <input
          aria-label="Question"
          className="blank-line"
          value={label}
          onChange={(e) => onChange({ ...question, label: e.target.value, ...(isNamedAfter ? { name: nameFrom(e.target.value) } : {}) })}
        />
      </Labelled>
      <Labelled label="Answered with">
        <Choice
          label="Answered with"
          value={type}
          options={TYPES}
          onChange={(next) => onChange({ name, label, type: next, ...(required ? { required } : {}), ...(next === 'choice' ? { choices: choices ?? [] } : {}) })}
        />
      </Labelled>
      <label className="flex items-center gap-1.5 py-1.5 text-sm">
        <input type="checkbox" className="accent-spruce" checked={required ?? false} onChange={(e) => onChange({ ...question, required: e.target.checked || undefined })} />
        required
      </label>
      <Button aria-label={`Remove the question ${label}`} onClick={onRemove}>
        ×
      </Button>
      {type === 'choice' && (
        <Labelled label="Choices, with commas between" className="col-span-3">
          <input
            aria-label="Choices"
            className="blank-line"
            defaultValue={(choices ?? []).join(', ')}
            onChange={(e) =>
              onChange({
                ...question,
                choices: e.target.value
                  .split(',')
                  .map((c) => c.trim())
                  .filter(Boolean),
              })
            }
          />
        </Labelled>
      )}
    </li>
  )
}

type Who = NonNullable<ByHandCue['who']>

/** Who may run it: roles, teams and groups; administrators always may. */
function Who({ cue, teams, groups, onWho }: { cue: ByHandCue; teams: readonly string[]; groups: readonly string[]; onWho: (who: Who | undefined) => void }) {
  const who = cue.who ?? {}
  const named = [...(who.roles ?? []).map((r) => `role ${r}`), ...(who.teams ?? []).map((t) => `team ${t}`), ...(who.groups ?? []).map((g) => `group ${g}`)]
  const of = (kind: string, list: readonly string[]) => list.filter((n) => n.startsWith(`${kind} `)).map((n) => n.slice(kind.length + 1))
  const set = (next: readonly string[]) => {
    const [roles, inTeams, inGroups] = [of('role', next) as Who['roles'], of('team', next), of('group', next)]
    onWho(next.length ? { ...(roles?.length ? { roles } : {}), ...(inTeams.length ? { teams: inTeams } : {}), ...(inGroups.length ? { groups: inGroups } : {}) } : undefined)
  }
  const words = (entry: string) => (entry.startsWith('role ') ? `${entry.slice(5)}s` : entry.startsWith('team ') ? `the team ${entry.slice(5)}` : `the group ${entry.slice(6)}`)
  const rest = [...ROLES.map((r) => `role ${r}`), ...teams.map((t) => `team ${t}`), ...groups.map((g) => `group ${g}`)].filter((entry) => !named.includes(entry))
  return (
    <SomeOf
      label="May be run by"
      note={named.length === 0 ? 'Administrators and editors.' : 'Administrators always may.'}
      chosen={named}
      rest={rest}
      words={words}
      none="choose others"
      onChange={set}
    />
  )
}
