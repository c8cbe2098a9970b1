import type { Clause } from '@/core/document/condition'
import type { Cue } from '@/core/document/document'
import { durationWords, typedDuration } from '@/core/values/duration'
import type { TableDef } from '@/core/values/tables'

/** What "in review for 5 days" means: how long something is to stay so, and the clause, where one is named. */
export interface TypedStays {
  readonly words: string
  readonly stays: string
  readonly clause: Clause | null
}

/** Reads words such as "in review for 5 days", "status is New for 4 hours" or "stays so for a day"; every field that has such a choice is offered. Nothing where they say no such thing. */
export function typedStays(text: string, cue: Cue, table: TableDef): TypedStays[] {
  if (cue.kind !== 'record') return []
  const typed = /^(?:(.*?)\s+)?for\s+(.+)$/i.exec(text.trim())
  const stays = typed && typedDuration(typed[2] ?? '')
  if (!stays) return []
  const said = (typed[1] ?? '').toLowerCase().trim()
  if (['', 'so', 'stays', 'stays so', 'it stays so'].includes(said)) return [{ words: `it stays so for ${durationWords(stays)}`, stays, clause: null }]
  return table.fields.flatMap((field) =>
    (field.choices ?? []).flatMap((choice) => {
      const value = choice.toLowerCase()
      const label = field.label.toLowerCase()
      const ways = [value, `${label} ${value}`, `${label} is ${value}`, `${label} stays ${value}`, `is ${value}`, `stays ${value}`, `left in ${value}`]
      if (!ways.includes(said)) return []
      return [{ words: `${label} stays ${choice} for ${durationWords(stays)}`, stays, clause: { field: field.name, op: 'is' as const, value: choice } }]
    }),
  )
}
