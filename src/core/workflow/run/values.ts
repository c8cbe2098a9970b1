import { compileReader, type Setting } from '../../conditions/compile'
import type { Value } from '../../document/document'
import { compileFormula } from '../../formula/formula'
import { parseTemplate } from '../../message/liquid'
import { fill } from '../../message/render'
import { isBlank } from '../../values/compare'
import { dayFrom } from '../../values/dates'
import { parseValue } from '../../values/parse'
import { type FieldDef, fieldOf, type Stored, type TableDef } from '../../values/tables'
import type { Surroundings } from '../surroundings'
import type { RunState } from './state'

/** Works a value out in a run. */
export type ValueReader = (run: RunState) => unknown

/** Compiles a text with placeholders to a function that fills it, as plain text or as an address list. @throws Error when it does not parse */
export function compileText(source: string, { engines }: Surroundings, as: 'plain' | 'addresses' = 'plain'): (run: RunState) => string {
  const parsed = parseTemplate(engines[as], source)
  if ('problem' in parsed) throw new Error(parsed.problem.message)
  return (run) => fill(engines[as], parsed.templates, run.scope(), run.budget)
}

/** Compiles a value of the document, bare of any field. @throws Error when a part does not fit */
export function compileValue(value: Value, table: TableDef, setting: Setting, surroundings: Surroundings): ValueReader {
  if (value === null || typeof value !== 'object') return () => value
  if ('field' in value) {
    const { read } = compileReader(value.field, table, setting)
    return (run) => read(run.facts(), run.record())
  }
  if ('text' in value) return compileText(value.text, surroundings)
  if ('formula' in value) {
    const work = compileFormula(value.formula)
    return (run) => work(run.formulaFacts())
  }
  if ('today' in value) return (run) => dayFrom(run.occasion.at, value.today, surroundings.organisation.zone)
  return (run) => run.occasion.at.toISOString()
}

/** Compiles what an action sets: each field's value, read as that field's type when the run comes to it. @throws Error for unknown fields */
export function compileSet(set: Readonly<Record<string, Value>>, target: TableDef, table: TableDef, setting: Setting, surroundings: Surroundings) {
  const entries = Object.entries(set).map(([name, value]) => {
    const field = fieldOf(target, name)
    if (!field) throw new Error(`${target.label} has no field ${JSON.stringify(name)}.`)
    return { field, read: compileValue(value, table, setting, surroundings) }
  })
  return (run: RunState): Record<string, Stored> => Object.fromEntries(entries.map(({ field, read }) => [field.name, asField(field, read(run), surroundings)]))
}

/** A value as a field stores it. @throws Error with the sentence that says what it takes */
function asField(field: FieldDef, value: unknown, surroundings: Surroundings): Stored {
  if (isBlank(value)) return null
  if (field.type === 'person' && typeof value === 'string' && value.includes('@'))
    return surroundings.people.get(value.trim().toLowerCase()) ?? failed(`Nobody here has the address ${value}.`)
  const fitted = field.type === 'date' && typeof value === 'string' && value.length > 10 ? value.slice(0, 10) : isTextual(field) ? String(value) : value
  const parsed = parseValue(field, fitted, '')
  return 'problem' in parsed ? failed(parsed.problem.message) : parsed.value
}

const isTextual = (field: FieldDef) => ['text', 'long text', 'choice', 'email', 'phone', 'folder'].includes(field.type)

function failed(sentence: string): never {
  throw new Error(sentence)
}
