import * as yup from 'yup'
import { type Condition, OPS } from '../conditions/clause'
import type { Workflow } from './document'
import { example, saw } from './schema-examples'
import { closed, oneOfShapes, text } from './schema-parts'

/** A breach of the document's shape: where (JSON Pointer) and what. */
export interface ShapeProblem {
  readonly path: string
  readonly message: string
}

const MAX_DEPTH = 12

const recipient = () =>
  oneOfShapes(
    'a recipient: { field }, { list, field }, { group }, { team }, { managerOf }, { changedBy: true }, { address } or { text }',
    closed({ field: text().required() }),
    closed({ list: text().required(), field: text().required() }),
    closed({ group: text().required() }),
    closed({ team: text().required() }),
    closed({ managerOf: text().required() }),
    closed({ changedBy: yup.boolean().oneOf([true]).required() }),
    closed({ address: text().defined() }),
    closed({ text: text().defined() }),
  ).required()

const recipients = () => yup.array(recipient()).strict()

const literal = () =>
  yup
    .mixed()
    .nullable()
    .test('literal', '', (v) => v === null || ['string', 'number', 'boolean'].includes(typeof v))

const value = () =>
  oneOfShapes(
    'a value',
    literal(),
    closed({ field: text().required() }),
    closed({ text: text().required() }),
    closed({ formula: text().required() }),
    closed({ today: yup.number().integer().required() }),
    closed({ now: yup.boolean().oneOf([true]).required() }),
  ).nullable()

const amount = () => yup.number().min(0).required()

const operand = () =>
  oneOfShapes(
    'the right side of a clause',
    literal(),
    yup
      .array(yup.mixed().test('item', '', (v) => typeof v === 'string' || typeof v === 'number'))
      .strict()
      .required(),
    closed({ field: text().required() }),
    closed({ today: yup.number().integer().required() }),
    closed({ changedBy: yup.boolean().oneOf([true]).required() }),
    closed({ formula: text().required() }),
    closed({ minutes: amount() }),
    closed({ hours: amount() }),
    closed({ days: amount() }),
  ).nullable()

const clause = closed({
  field: text().defined(),
  op: text()
    .oneOf([...OPS])
    .required(),
  value: operand(),
  to: operand(),
  muted: yup.boolean().strict(),
})

function condition(depth = 0): yup.Lazy<unknown> {
  return yup.lazy((given: unknown) => {
    if (given === undefined) return yup.mixed()
    if (depth > MAX_DEPTH) return yup.mixed().test('depth', `\${path} is nested deeper than ${MAX_DEPTH}`, () => false)
    const children = () =>
      yup
        .array(condition(depth + 1) as never)
        .strict()
        .required()
    if (given && typeof given === 'object' && 'all' in given) return closed({ all: children() })
    if (given && typeof given === 'object' && 'any' in given) return closed({ any: children() })
    if (given && typeof given === 'object' && 'none' in given) return closed({ none: children() })
    return clause.required()
  }) as yup.Lazy<unknown>
}

const actionBase = { name: text().required(), muted: yup.boolean().strict() }
const setValues = () =>
  yup
    .mixed()
    .required()
    .test('set', '${path} is not an object of field names and values', (v) => {
      return typeof v === 'object' && v !== null && !Array.isArray(v) && Object.values(v).every((one) => value().isValidSync(one))
    })

/** Files of the library and of fields, as emails and templates attach them. */
export const attachments = () => yup.array(oneOfShapes('{ file } or { field }', closed({ file: text().required() }), closed({ field: text().required() }))).strict()

const actionShapes = {
  email: () =>
    closed({
      ...actionBase,
      do: text().oneOf(['email']),
      about: text(),
      to: recipients().required(),
      cc: recipients(),
      bcc: recipients(),
      from: oneOfShapes('default, owner or { sender }', text().oneOf(['default', 'owner']).required(), closed({ sender: text().required() })),
      replyTo: recipient().notRequired(),
      template: text(),
      subject: text(),
      body: text(),
      format: text().oneOf(['rich', 'plain']),
      delivery: text().oneOf(['together', 'each']),
      ifNobody: recipients(),
      priority: text().oneOf(['low', 'normal', 'high']),
      attach: attachments(),
    }),
  notice: () => closed({ ...actionBase, do: text(), channel: text(), to: recipients(), title: text(), text: yup.string().strict().defined() }),
  update: () => closed({ ...actionBase, do: text(), target: text(), set: setValues() }),
  create: () => closed({ ...actionBase, do: text(), table: text().required(), set: setValues() }),
  task: () => closed({ ...actionBase, do: text(), subject: yup.string().strict().defined(), owner: text(), due: value(), about: text(), note: text() }),
  choose: (depth: number) =>
    closed({
      ...actionBase,
      do: text(),
      branches: yup
        .array(closed({ when: condition() as never, actions: actions(depth + 1).required() }))
        .strict()
        .required(),
      otherwise: actions(depth + 1),
    }),
  each: (depth: number) => closed({ ...actionBase, do: text(), of: text().required(), as: text().required(), where: condition() as never, actions: actions(depth + 1).required() }),
}

function action(depth: number): yup.Lazy<unknown> {
  return yup.lazy((given: unknown) => {
    const kind = (given as { do?: unknown } | null)?.do
    if (depth > MAX_DEPTH) return yup.mixed().test('depth', `\${path} is nested deeper than ${MAX_DEPTH}`, () => false)
    const shape = actionShapes[kind as keyof typeof actionShapes] as unknown as ((depth: number) => yup.Schema) | undefined
    return shape?.(depth) ?? closed({ do: text().oneOf(Object.keys(actionShapes)).required() }).required()
  }) as yup.Lazy<unknown>
}

function actions(depth = 0) {
  return yup.array(action(depth) as never).strict()
}

const cue = yup.lazy((given: unknown) => {
  switch ((given as { kind?: unknown } | null)?.kind) {
    case 'record':
      return closed({
        kind: text(),
        on: yup
          .array(text().oneOf(['created', 'changed', 'deleted']).required())
          .strict()
          .min(1, '${path} needs at least one of created, changed, deleted')
          .required(),
        fields: yup.array(text().required()).strict(),
        whose: oneOfShapes('{ team } or { person }', closed({ team: text().required() }), closed({ person: text().required() })),
      })
    case 'figure':
      return closed({ kind: text(), figure: text().required(), threshold: text().required() })
    case 'timetable':
      return closed({ kind: text(), cron: text().required(), per: text().oneOf(['record', 'all', 'owner']).required() })
    case 'by hand':
      return closed({
        kind: text(),
        ask: yup
          .array(
            closed({
              name: text().required(),
              label: text().required(),
              type: text().oneOf(['text', 'number', 'date', 'addresses', 'yes/no']).required(),
              required: yup.boolean().strict(),
            }),
          )
          .strict(),
      })
    default:
      return closed({ kind: text().oneOf(['record', 'figure', 'timetable', 'by hand']).required() }).required()
  }
})

/** The Yup schema of a workflow document, the same in the browser and on the server. */
export const workflowSchema = closed({
  rappel: text().oneOf(['workflow/1']).required(),
  name: text().trim().required().max(120),
  note: text(),
  table: text().required(),
  cue: cue as never,
  conditions: condition() as never,
  firing: text().oneOf(['entering', 'every']),
  bringIn: yup
    .array(
      closed({
        name: text().required(),
        link: text(),
        list: text(),
        of: text(),
        where: condition() as never,
        order: text(),
        limit: yup.number().integer().positive().strict(),
        muted: yup.boolean().strict(),
      }),
    )
    .strict(),
  values: yup.array(closed({ name: text().required(), formula: text(), text: text() })).strict(),
  actions: actions().required(),
  refire: yup.boolean().strict(),
  examples: yup.array(example).strict(),
  limits: closed({
    spacing: closed({ per: text().oneOf(['record', 'recipient', 'group', 'workflow']).required(), every: text().required() }),
    quietHours: closed({ from: text().required(), to: text().required(), days: yup.array(yup.number().integer().min(1).max(7)).strict() }),
    digest: oneOfShapes('{ every } or { at }', closed({ every: text().required() }), closed({ at: yup.array(text().required()).required() })),
    perDay: yup.number().integer().positive().strict(),
  }),
}).required()

/** Turns Yup's dotted path (`actions[0].to[1]`) into a JSON Pointer (RFC 6901). */
export function pointerOf(path: string | undefined): string {
  return path
    ? `/${path
        .replaceAll(/\[(\d+)\]/g, '.$1')
        .replaceAll('"', '')
        .split('.')
        .filter(Boolean)
        .join('/')}`
    : ''
}

/** Reads a workflow document from outside; gives it back, or every breach of its shape. */
export function readWorkflow(input: unknown): { workflow: Workflow } | { problems: ShapeProblem[] } {
  const read = readShape(workflowSchema as unknown as yup.Schema, input)
  return 'problems' in read ? read : { workflow: read.value as Workflow }
}

/** What breaches the shape of what an example saw. */
export function sawProblems(input: unknown): ShapeProblem[] {
  const read = readShape(yup.object({ saw }) as unknown as yup.Schema, { saw: input })
  return 'problems' in read ? read.problems : []
}

/** Reads a condition by itself from outside, such as a filter; gives it back, or every breach of its shape. */
export function readCondition(input: unknown): { condition: Condition } | { problems: ShapeProblem[] } {
  const read = readShape(yup.object({ where: condition() as never }), { where: input })
  return 'problems' in read ? read : { condition: (read.value as { where: Condition }).where }
}

function readShape(schema: yup.Schema, input: unknown): { value: unknown } | { problems: ShapeProblem[] } {
  try {
    return { value: schema.validateSync(input, { abortEarly: false, strict: true }) }
  } catch (error) {
    if (!(error instanceof yup.ValidationError)) throw error
    const inner = error.inner.length ? error.inner : [error]
    return { problems: inner.map((e) => ({ path: pointerOf(e.path), message: `${e.message}.` })) }
  }
}
