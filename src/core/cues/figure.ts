import type { FigureCue } from '../document/document'
import { labelOf } from '../figures/label'
import { figureOf, figuresOf, type KnownFigure } from '../figures/of-table'
import { lineWords } from '../figures/words'
import { type FieldDef, type TableDef, withoutRecord } from '../values/tables'
import { type CueKind, type CueShape, named, recordRoots } from './cue'
import { standingFields } from './group'

/** What a crossing says of itself, as fields: `figure.value`, `figure.group.owner`. */
export function crossingFields(figure: KnownFigure | undefined): FieldDef[] {
  return standingFields(figure).flatMap((field) =>
    field.name === 'value' ? [field, { ...field, name: 'before', label: 'value before' }, { ...field, name: 'threshold', label: 'threshold' }] : [field],
  )
}

function shapeOf(cue: FigureCue, table: TableDef): CueShape {
  const figure = figureOf(table, cue.figure)
  const none = `This runs when ${figure ? labelOf(figure.definition).toLowerCase() : 'a figure'} crosses a threshold, so there is no one ${table.singular.replaceAll('_', ' ')} whose field could be meant. Use figure.value, figure.before, figure.threshold${figure?.grouping ? ', figure.group' : ''}, or bring in figure.records.`
  return {
    table: withoutRecord(table, none),
    roots: new Map([named('figure', crossingFields(figure))]),
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
    const threshold = figure?.definition.thresholds?.find((t) => t.name === cue.threshold)
    if (!figure) return `${cue.figure || 'a figure'} crosses ${cue.threshold || '…'}`
    const label = labelOf(figure.definition).toLowerCase()
    return threshold ? `${label} comes to be ${threshold.when} ${lineWords(threshold)}` : `${label} crosses ${cue.threshold || '…'}`
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
    else if (!figure.definition.thresholds?.some((t) => t.name === cue.threshold)) {
      const names = (figure.definition.thresholds ?? []).map((t) => JSON.stringify(t.name)).join(', ')
      error(
        'unknown threshold',
        '/cue/threshold',
        `${labelOf(figure.definition)} has no threshold ${JSON.stringify(cue.threshold)}. ${names ? `It has ${names}.` : 'Draw one on its page.'}`,
      )
    }
    if (workflow.conditions)
      error('no record', '/conditions', 'A crossing is of a figure and not of one record, so conditions have nothing to look at. Put them into the figure (where).')
  },
  dryRun: () => ['group', 'value'],
}
