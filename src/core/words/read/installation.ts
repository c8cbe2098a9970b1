import type { Wording } from '../../conditions/sentence'
import { labelOf } from '../../figures/label'
import { figuresOf } from '../../figures/of-table'
import { nounOf } from '../../values/naming'
import { everyTableFields, type FieldDef, type TableDef } from '../../values/tables'
import { eitherNumber, Lexicon } from './lexicon'

/** What an installation calls its things, which is what words are read with. */
export interface Installation extends Wording {
  readonly groups: readonly string[]
  readonly teams: readonly string[]
  readonly channels: readonly string[]
  readonly templates: readonly { readonly name: string; readonly table: string }[]
  readonly senders: readonly string[]
  readonly files: readonly string[]
  /** The e-mail of whoever types, whom “me” means. */
  readonly me: string | null
}

/** A figure, with the table that it is worked out over. */
export interface MeasuredFigure {
  readonly table: TableDef
  readonly figure: string
}

/** One of a figure's thresholds. */
export interface NamedThreshold extends MeasuredFigure {
  readonly threshold: string
}

/** The lists of words of an installation. */
export interface Vocabulary {
  readonly tables: Lexicon<TableDef>
  /** E-mails of people, by their names. */
  readonly people: Lexicon<string>
  readonly groups: Lexicon<string>
  readonly teams: Lexicon<string>
  readonly channels: Lexicon<string>
  readonly senders: Lexicon<string>
  readonly files: Lexicon<string>
  readonly templates: Lexicon<string>
  readonly thresholds: Lexicon<NamedThreshold>
  /** Figures that have thresholds, by what they are called. */
  readonly measured: Lexicon<MeasuredFigure>
  /** Figures that are grouped, by what they are called. */
  readonly figures: Lexicon<MeasuredFigure>
}

const kept = new WeakMap<Installation, Vocabulary>()

const names = (of: readonly string[]) => new Lexicon(of.map((name) => ({ words: name, meant: name })))

/** The words of an installation, put together once. */
export function vocabularyOf(installation: Installation): Vocabulary {
  const known = kept.get(installation)
  if (known) return known
  const tables = [...installation.schema.values()].filter((t) => t.name !== 'person')
  const called = new Map<string, number>()
  for (const name of installation.names.values()) called.set(name, (called.get(name) ?? 0) + 1)
  const figures = tables.flatMap((table) => figuresOf(table).map((figure) => ({ table, figure })))
  const asWords = ({ table, figure }: (typeof figures)[number]) => ({
    words: labelOf(figure.definition).toLowerCase(),
    meant: { table, figure: figure.name },
    also: [figure.name],
  })
  const made: Vocabulary = {
    tables: new Lexicon(tables.map((table) => ({ words: nounOf(table), meant: table, also: [...eitherNumber(nounOf(table)), ...eitherNumber(table.label), table.name] }))),
    people: new Lexicon([...installation.names].map(([email, name]) => ({ words: (called.get(name) ?? 0) > 1 ? `${name} (${email})` : name, meant: email, also: [name] }))),
    groups: names(installation.groups),
    teams: names(installation.teams),
    channels: names(installation.channels),
    senders: names(installation.senders),
    files: names(installation.files),
    templates: names(installation.templates.map((t) => t.name)),
    figures: new Lexicon(figures.map(asWords)),
    measured: new Lexicon(figures.filter(({ figure }) => figure.definition.thresholds?.length).map(asWords)),
    thresholds: new Lexicon(
      figures.flatMap(({ table, figure }) =>
        (figure.definition.thresholds ?? []).map((t) => ({
          words: `${labelOf(figure.definition).toLowerCase()} crosses ${t.name}`,
          meant: { table, figure: figure.name, threshold: t.name },
          also: [
            ...(typeof t.value === 'number'
              ? [`${labelOf(figure.definition)} comes to be ${t.when} ${t.value.toLocaleString('en-GB')}`, `${labelOf(figure.definition)} is ${t.when} ${t.value}`]
              : []),
            `${figure.name} crosses ${t.name}`,
          ],
        })),
      ),
    ),
  }
  kept.set(installation, made)
  return made
}

const fieldsKept = new WeakMap<TableDef, Lexicon<FieldDef>>()
const choicesKept = new WeakMap<object, Lexicon<string>>()
const valuesKept = new WeakMap<TableDef, Lexicon<{ readonly field: FieldDef; readonly value: string | true }>>()

function keptIn<K extends object, V>(map: WeakMap<K, V>, key: K, make: () => V): V {
  const known = map.get(key)
  if (known !== undefined) return known
  const made = make()
  map.set(key, made)
  return made
}

/** The fields of a table, by label and name. */
export const fieldsOf = (table: TableDef): Lexicon<FieldDef> =>
  keptIn(
    fieldsKept,
    table,
    () =>
      new Lexicon(
        table.none !== undefined
          ? []
          : [...table.fields, ...everyTableFields(table).filter((e) => !table.fields.some((f) => f.name === e.name))].map((field) => ({
              words: field.label.toLowerCase(),
              meant: field,
              also: [field.name],
            })),
      ),
  )

/** The choices of a field. */
export const choicesOf = (field: Pick<FieldDef, 'choices'>): Lexicon<string> => keptIn(choicesKept, field, () => names(field.choices ?? []))

/** Whatever a record of a table can become without its field being named: choices, and what is true of it. */
export const valuesOf = (table: TableDef): Lexicon<{ readonly field: FieldDef; readonly value: string | true }> =>
  keptIn(
    valuesKept,
    table,
    () =>
      new Lexicon(
        table.fields.flatMap((field): { words: string; meant: { field: FieldDef; value: string | true } }[] =>
          field.type === 'yes/no'
            ? [{ words: field.label.toLowerCase(), meant: { field, value: true } }]
            : (field.choices ?? []).map((choice) => ({ words: choice, meant: { field, value: choice } })),
        ),
      ),
  )
