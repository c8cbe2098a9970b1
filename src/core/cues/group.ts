import { labelOf } from '../figures/label'
import { figureOf, figuresOf, type KnownFigure } from '../figures/of-table'
import { type FieldDef, type TableDef, withoutRecord } from '../values/tables'
import { type CueShape, named, type Report } from './cue'

/** The fields of a group of a figure as it stands: `figure.value`, `figure.group.owner`. */
export function standingFields(figure: KnownFigure | undefined): FieldDef[] {
  const type = figure?.unit === 'money' ? 'money' : 'number'
  const grouping = figure?.grouping
  return [
    { name: 'name', label: 'name', type: 'text' },
    { name: 'value', label: 'value', type, ...(figure?.unit === 'percent' || figure?.unit === 'rounded' ? { unit: figure.unit } : {}) },
    ...(grouping ? [grouping.each ? { name: 'group', label: grouping.field.label, type: 'date' as const } : { ...grouping.field, name: 'group' }] : []),
    { name: 'count', label: 'records behind it', type: 'number' },
    { name: 'link', label: 'its page', type: 'text' },
  ]
}

/** What is known where a workflow runs once for each group of a figure: the group, and no one record. */
export function groupShape(over: { figure: string } | undefined, table: TableDef): Pick<CueShape, 'table' | 'roots' | 'tested' | 'about'> {
  const figure = figureOf(table, over?.figure ?? '')
  const none = `This runs once for each group of ${figure ? labelOf(figure.definition).toLowerCase() : 'a figure'}, so there is no one ${table.singular.replaceAll('_', ' ')} whose field could be meant. Use figure.value, figure.group or figure.count, or bring in figure.records.`
  const standing = named('figure', standingFields(figure))
  const about = withoutRecord(table, none)
  return { table: about, about, roots: new Map([standing]), tested: new Map([standing]) }
}

/** What a workflow runs once for, in words: "for each route of seats sold this week". */
export function groupWordsOf(over: { figure: string } | undefined, table: TableDef | undefined): string {
  const figure = figureOf(table, over?.figure ?? '')
  if (!figure) return `for each group of ${over?.figure || 'a figure'}`
  return `for each ${figure.grouping?.field.label.toLowerCase() ?? 'value'} of ${labelOf(figure.definition).toLowerCase()}`
}

/** Reports what is wrong with a cue that goes through the groups of a figure. */
export function reviewOver({ per, over }: { per?: string; over?: { figure: string } }, table: TableDef, error: Report): void {
  if (per !== 'group') {
    if (over)
      error(
        'not per group',
        '/cue/over',
        `It runs ${per === 'none' ? 'without a record' : `per ${per ?? 'record'}`}; a figure is gone through only per group. Choose per group, or leave over out.`,
      )
    return
  }
  const known = figuresOf(table).map((f) => f.name)
  const has = known.length ? `${table.label} has ${known.join(', ')}.` : `${table.label} has no figure yet: make one under Figures.`
  if (!over?.figure) return error('no figure', '/cue/over', `It runs once for each group of a figure: say which (over: { "figure": … }). ${has}`)
  const figure = figureOf(table, over.figure)
  if (!figure) return error('unknown figure', '/cue/over/figure', `${table.label} has no figure ${JSON.stringify(over.figure)}. ${has}`)
}
