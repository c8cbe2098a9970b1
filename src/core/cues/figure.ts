import type { FigureCue } from '../document/document'
import type { Figure } from '../document/figure'
import { figureOf, figuresOf } from '../figures/of-table'
import { groupField, labelOf, valueType } from '../figures/review'
import { type FieldDef, type TableDef, withoutRecord } from '../values/tables'
import { type CueKind, type CueShape, named, recordRoots } from './cue'

/** What a crossing says of itself, as fields: `figure.value`, `figure.group.owner`. */
export function crossingFields(figure: Figure | undefined, table: TableDef): FieldDef[] {
  const type = figure ? valueType(figure, table) : 'number'
  const group = figure && groupField(figure, table)
  const number = (name: string, label: string): FieldDef => ({ name, label, type })
  return [
    { name: 'name', label: 'name', type: 'text' },
    number('value', 'value'),
    number('before', 'value before'),
    number('threshold', 'threshold'),
    ...(group ? [typeof figure.by === 'object' ? { name: 'group', label: group.label, type: 'date' as const } : { ...group, name: 'group' }] : []),
    { name: 'count', label: 'records behind it', type: 'number' },
    { name: 'link', label: 'its page', type: 'text' },
  ]
}

function shapeOf(cue: FigureCue, table: TableDef): CueShape {
  const figure = figureOf(table, cue.figure)
  const none = `This runs when ${figure ? labelOf(figure).toLowerCase() : 'a figure'} crosses a threshold, so there is no one ${table.singular.replaceAll('_', ' ')} whose field could be meant. Use figure.value, figure.before, figure.threshold${figure?.by ? ', figure.group' : ''}, or bring in figure.records.`
  return {
    table: withoutRecord(table, none),
    roots: new Map([named('figure', crossingFields(figure, table))]),
    tested: recordRoots(table),
    changeParts: ['at', 'by'],
    moves: false,
  }
}

/** Comes when a figure crosses one of its thresholds. */
export const FIGURE_CUE: CueKind<FigureCue> = {
  shape: shapeOf,
  words: (cue, table) => {
    const figure = figureOf(table, cue.figure)
    const threshold = figure?.thresholds?.find((t) => t.name === cue.threshold)
    if (!figure) return `${cue.figure || 'a figure'} crosses ${cue.threshold || '…'}`
    return threshold ? `${labelOf(figure).toLowerCase()} comes to be ${threshold.when} ${threshold.value}` : `${labelOf(figure).toLowerCase()} crosses ${cue.threshold || '…'}`
  },
  review: (workflow, table, _setting, error) => {
    const { cue } = workflow
    const figure = figureOf(table, cue.figure)
    const known = figuresOf(table).map((f) => f.name)
    if (!figure)
      error(
        'unknown figure',
        '/cue/figure',
        `${table.label} has no figure ${JSON.stringify(cue.figure)}. ${known.length ? `It has ${known.join(', ')}.` : 'Make one under Figures.'}`,
      )
    else if (!figure.thresholds?.some((t) => t.name === cue.threshold)) {
      const names = (figure.thresholds ?? []).map((t) => JSON.stringify(t.name)).join(', ')
      error('unknown threshold', '/cue/threshold', `${labelOf(figure)} has no threshold ${JSON.stringify(cue.threshold)}. ${names ? `It has ${names}.` : 'Draw one on its page.'}`)
    }
    if (workflow.conditions)
      error('no record', '/conditions', 'A crossing is of a figure and not of one record, so conditions have nothing to look at. Put them into the figure (where).')
  },
  dryRun: () => [],
}
