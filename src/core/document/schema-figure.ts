import * as yup from 'yup'
import { membersOf } from '../must'
import { CALENDAR_WINDOWS, type Figure, MEASURES, PERIODS, THRESHOLD_SIDES, UNITS } from './figure'
import { conditionShape, readShape } from './schema'
import { closed, either, isText, isTrue, isWhole, only, type ShapeProblem, shaped, text } from './schema-parts'

const isOneOf = (values: readonly string[]) => (value: unknown) => typeof value === 'string' && values.includes(value)

const number = () => yup.number().strict().typeError('${path} is not a number')

const isNumber = (value: unknown) => typeof value === 'number' && Number.isFinite(value)

/** What every figure has. */
const named = () => ({
  rappel: text().oneOf(['figure/1']).required(),
  name: text()
    .trim()
    .required('The figure needs a name')
    .matches(/^[a-z][a-z0-9_]{0,58}$/, 'The figure’s name is snake_case: small letters, digits and _, at most 59, starting with a letter')
    .notOneOf(['rehearse'], 'A figure cannot be called rehearse, for something else stands at that address. Choose another name.'),
  label: text().max(120),
  note: text(),
  thresholds: yup
    .array(
      closed({
        name: text().trim().required('The threshold needs a name').max(120),
        when: text()
          .oneOf([...THRESHOLD_SIDES])
          .required(),
        value: shaped('a number, or { figure }', either(isNumber, only({ figure: isText }))).required('The threshold needs a value: a number, or { "figure": … }'),
        rearm: number(),
      }).required(),
    )
    .strict()
    .max(50),
})

const tableFigure = closed({
  ...named(),
  table: text().required(),
  of: shaped(
    '{ count: true }, { sum }, { average }, { minimum }, { maximum } or { distinct }',
    either(only({ count: isTrue }), ...MEASURES.filter((m) => m !== 'count').map((m) => only({ [m]: isText }))),
  ).required('Say what is worked out: of, such as { "count": true }'),
  where: conditionShape(),
  by: shaped('a field’s name, or { field, each }', either(isText, only({ field: isText, each: isOneOf(PERIODS) }))),
  within: closed({
    field: text().required(),
    window: shaped('today, this week, this month, this quarter, this year or { last: days }', either(isOneOf(CALENDAR_WINDOWS), only({ last: isWhole }))).required(),
    shift: text(),
  }),
}).required()

const computedFigure = closed({
  ...named(),
  formula: text().required().max(2_000),
  unit: text().oneOf([...UNITS]),
}).required()

/** The shapes of figures: worked out over a table's records, and by a formula over others. */
export const FIGURE_SCHEMAS = [tableFigure, computedFigure] as const

/** Reads a figure from outside; gives it back, or every breach of its shape. */
export function readFigure(input: unknown): { figure: Figure } | { problems: ShapeProblem[] } {
  const read = readShape('formula' in membersOf(input) ? computedFigure : tableFigure, input)
  return 'problems' in read ? read : { figure: read.value as Figure }
}
