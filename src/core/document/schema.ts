import * as yup from 'yup'
import { membersOf, must } from '../must'
import { boundsProblem, DOCUMENT_LIMITS } from './bounds'
import { type Condition, OPS } from './condition'
import { ASK_TYPES, type Workflow } from './document'
import { example, saw } from './schema-examples'
import { closed, either, isText, isTrue, isWhole, listed, only, type Shape, type ShapeProblem, shaped, text } from './schema-parts'

export type { ShapeProblem } from './schema-parts'

const MAX_DEPTH = DOCUMENT_LIMITS.depth

const RECIPIENT = 'a recipient: { field }, { list, field }, { group }, { team }, { managerOf }, { changedBy: true }, { address } or { text }'

const isRecipient = either(
  only({ field: isText }),
  only({ list: isText, field: isText }),
  only({ group: isText }),
  only({ team: isText }),
  only({ managerOf: isText }),
  only({ changedBy: isTrue }),
  only({ address: isText }),
  only({ text: isText }),
)

const recipients = () => listed(RECIPIENT, isRecipient)

const isLiteral: Shape = (v) => v === null || ['string', 'number', 'boolean'].includes(typeof v)

/** A length of time of at most a hundred years, in so many parts of a day. */
const isSpan =
  (partsOfDay: number): Shape =>
  (v) =>
    typeof v === 'number' && v >= 0 && v <= MOST_DAYS * partsOfDay

const MOST_DAYS = 36_525

const isDays: Shape = (v) => isWhole(v) && Math.abs(v) <= MOST_DAYS

const isValue = either(isLiteral, only({ field: isText }), only({ text: isText }), only({ formula: isText }), only({ today: isWhole }), only({ now: isTrue }))

const value = () => shaped('a value', isValue).nullable()

const isOperand = either(
  isLiteral,
  (v) => Array.isArray(v) && v.every((item) => typeof item === 'string' || typeof item === 'number'),
  only({ field: isText }),
  only({ today: isDays }),
  only({ changedBy: isTrue }),
  only({ formula: isText }),
  only({ minutes: isSpan(1_440) }),
  only({ hours: isSpan(24) }),
  only({ days: (v) => isWhole(v) && isDays(v) && v >= 0 }),
)

const operand = () => shaped('the right side of a clause (days are whole, and no span is longer than a hundred years)', isOperand).nullable()

const clause = closed({
  field: text().defined(),
  op: text()
    .oneOf([...OPS])
    .required(),
  value: operand(),
  to: operand(),
  muted: yup.boolean().strict(),
})

const JOINTS = ['all', 'any', 'none']

/** A lazy schema where one that is there at once is expected: Yup takes both, its types only the latter. */
const loosely = (schema: unknown): never => schema as never

/** A function of a depth whose results are kept: schemas are made once, not for each part of each document. */
function keptByDepth<T>(make: (depth: number) => T): (depth?: number) => T {
  const kept: T[] = []
  return (depth = 0) => {
    kept[depth] ??= make(depth)
    return kept[depth]
  }
}

const condition = keptByDepth((depth: number): yup.Lazy<unknown> => {
  const children = () =>
    yup
      .array(loosely(condition(depth + 1)))
      .strict()
      .required()
  const joints = keptByDepth((at) => closed({ [must(JOINTS[at])]: children() }))
  const filled = clause.required()
  return yup.lazy((given: unknown) => {
    if (given === undefined) return yup.mixed()
    if (depth > MAX_DEPTH) return yup.mixed().test('depth', `\${path} is nested deeper than ${MAX_DEPTH}`, () => false)
    const joint = given && typeof given === 'object' ? JOINTS.findIndex((name) => name in given) : -1
    return joint >= 0 ? joints(joint) : filled
  }) as yup.Lazy<unknown>
})

const actionBase = { name: text().defined(), muted: yup.boolean().strict() }
const setValues = () =>
  yup
    .mixed()
    .required()
    .test('set', '${path} is not an object of field names and values', (v) => {
      return typeof v === 'object' && v !== null && !Array.isArray(v) && Object.values(v).every(isValue)
    })

/** Files of the library and of fields, as emails and templates attach them. */
export const attachments = () =>
  listed(
    '{ file } or { field }, with as: link where mail leads to it',
    either(only({ file: isText }), only({ field: isText }), only({ file: isText, as: isLink }), only({ field: isText, as: isLink })),
  )

const isLink = (value: unknown) => value === 'link'

const actionShapes = {
  email: () =>
    closed({
      ...actionBase,
      do: text().oneOf(['email']),
      about: text(),
      to: recipients().required(),
      cc: recipients(),
      bcc: recipients(),
      from: shaped(
        'default, owner or { sender }',
        either((v) => v === 'default' || v === 'owner', only({ sender: isText })),
      ),
      replyTo: shaped(RECIPIENT, isRecipient),
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
  create: () => closed({ ...actionBase, do: text(), table: text().defined(), set: setValues() }),
  task: () => closed({ ...actionBase, do: text(), subject: yup.string().strict().defined(), owner: text(), due: value(), about: text(), note: text() }),
  choose: (depth: number) =>
    closed({
      ...actionBase,
      do: text(),
      branches: yup
        .array(closed({ when: loosely(condition()), actions: actions(depth + 1).required() }))
        .strict()
        .required(),
      otherwise: actions(depth + 1),
    }),
  each: (depth: number) => closed({ ...actionBase, do: text(), of: text().defined(), as: text().defined(), where: loosely(condition()), actions: actions(depth + 1).required() }),
}

const action = keptByDepth((depth: number): yup.Lazy<unknown> => {
  const kept = new Map<unknown, yup.Schema>()
  return yup.lazy((given: unknown) => {
    const kind = membersOf(given).do
    const known = kept.get(kind)
    if (known) return known
    if (depth > MAX_DEPTH) return yup.mixed().test('depth', `\${path} is nested deeper than ${MAX_DEPTH}`, () => false)
    const shape = Object.hasOwn(actionShapes, String(kind)) ? (actionShapes[kind as keyof typeof actionShapes] as unknown as (depth: number) => yup.Schema) : undefined
    if (!shape) return closed({ do: text().oneOf(Object.keys(actionShapes)).required() }).required()
    const made = shape(depth)
    kept.set(kind, made)
    return made
  }) as yup.Lazy<unknown>
})

function actions(depth = 0) {
  return yup.array(loosely(action(depth))).strict()
}

/** The figure whose groups a cue goes through. */
const overFigure = () => shaped('{ figure }', only({ figure: isText }))

const question = closed({
  name: text().defined(),
  label: text().defined(),
  type: text()
    .oneOf([...ASK_TYPES])
    .required(),
  choices: yup.array(text().defined()).strict(),
  required: yup.boolean().strict(),
  default: yup.mixed().nullable(),
  hint: text(),
})

const cue = yup.lazy((given: unknown) => {
  switch (membersOf(given).kind) {
    case 'record':
      return closed({
        kind: text(),
        on: yup
          .array(text().oneOf(['created', 'changed', 'deleted']).required())
          .strict()
          .min(1, 'The cue waits for nothing: choose at least one of created, changed, deleted')
          .required(),
        fields: yup.array(text().required()).strict(),
        whose: shaped('{ team } or { person }', either(only({ team: isText }), only({ person: isText }))),
        stays: text(),
      })
    case 'figure':
      return closed({ kind: text(), figure: text().required(), threshold: text().required() })
    case 'timetable':
      return closed({
        kind: text(),
        cron: text().defined(),
        per: text().oneOf(['record', 'owner', 'all', 'group']).required(),
        over: overFigure(),
        order: text(),
        evenIfNone: yup.boolean().strict(),
      })
    case 'by hand':
      return closed({
        kind: text(),
        per: text().oneOf(['record', 'all', 'none', 'group']),
        over: overFigure(),
        ask: yup.array(question).strict(),
        who: closed({
          roles: yup.array(text().oneOf(['administrator', 'editor', 'member']).required()).strict(),
          teams: yup.array(text().required()).strict(),
          groups: yup.array(text().required()).strict(),
        }),
      })
    default:
      return closed({ kind: text().oneOf(['record', 'figure', 'timetable', 'by hand']).required() }).required()
  }
})

const areTexts = (value: unknown) => Array.isArray(value) && value.every(isText)
const areTimes = (value: unknown) => value === 'organisation' || areTexts(value)

const quietHours = () => closed({ from: text().required(), to: text().required(), days: yup.array(yup.number().integer().min(1).max(7)).strict() })

/**
 * The Yup schema of a workflow document, the same in the browser and on the server. What is not filled in yet (a name, a path, a list of fields) is
 * no breach of the shape: a draft is kept as it is being written, and its review says what to mend.
 */
export const workflowSchema = closed({
  rappel: text().oneOf(['workflow/1']).required(),
  name: text().trim().required('The workflow needs a name').max(120, 'The workflow’s name has more than 120 characters'),
  note: text(),
  table: text().defined(),
  cue: loosely(cue),
  conditions: loosely(condition()),
  firing: text().oneOf(['entering', 'every']),
  bringIn: yup
    .array(
      closed({
        name: text().defined(),
        link: text(),
        list: text(),
        of: text(),
        where: loosely(condition()),
        order: text(),
        limit: yup.number().integer().positive().strict(),
        muted: yup.boolean().strict(),
      }),
    )
    .strict(),
  values: yup.array(closed({ name: text().defined(), formula: text(), text: text() })).strict(),
  actions: actions().required(),
  refire: yup.boolean().strict(),
  examples: yup.array(example).strict(),
  limits: closed({
    spacing: closed({ per: text().oneOf(['record', 'recipient', 'group', 'workflow']).required(), every: text().required() }),
    quietHours: loosely(yup.lazy((value) => (value === 'organisation' ? yup.string() : quietHours()))),
    digest: shaped(
      '{ every } or { at }, with or without columns',
      either(only({ every: isText }), only({ at: areTimes }), only({ every: isText, columns: areTexts }), only({ at: areTimes, columns: areTexts })),
    ),
    perDay: yup.number().integer().positive().strict(),
    mayGather: yup.boolean().strict(),
    mayStop: yup.boolean().strict(),
  }),
}).required()

/** Whatever validates: schemas of every shape do. */
interface Validates {
  validateSync(input: unknown, options: { abortEarly: boolean; strict: boolean }): unknown
}

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
  const read = readShape(workflowSchema, input)
  return 'problems' in read ? read : { workflow: read.value as Workflow }
}

/** What breaches the shape of what an example saw. */
export function sawProblems(input: unknown): ShapeProblem[] {
  const read = readShape(yup.object({ saw }), { saw: input })
  return 'problems' in read ? read.problems : []
}

/** Reads a condition by itself from outside, such as a filter; gives it back, or every breach of its shape. */
export function readCondition(input: unknown): { condition: Condition } | { problems: ShapeProblem[] } {
  const read = readShape(yup.object({ where: loosely(condition()) }), { where: input })
  return 'problems' in read ? read : { condition: (read.value as { where: Condition }).where }
}

/** The schema of a condition inside another document. */
export const conditionShape = (): never => loosely(condition())

/** Reads a document against a schema; gives it back, or every breach of its shape. */
export function readShape(schema: Validates, input: unknown): { value: unknown } | { problems: ShapeProblem[] } {
  const tooLarge = boundsProblem(input)
  if (tooLarge) return { problems: [tooLarge] }
  try {
    return { value: schema.validateSync(input, { abortEarly: false, strict: true }) }
  } catch (error) {
    if (!(error instanceof yup.ValidationError)) throw error
    const inner = error.inner.length ? error.inner : [error]
    return { problems: inner.map((e) => ({ path: pointerOf(e.path), message: `${e.message}.` })) }
  }
}
