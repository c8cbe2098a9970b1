import type { FieldType } from '@/core/values/tables'

/** How a block's condition compares what a path holds; `filled` and `blank` with nothing. */
export const WHEN_OPS = ['filled', 'blank', 'is', 'is not', 'is one of', 'contains', 'more than', 'at least', 'less than', 'at most', 'between', 'differs from before'] as const
export type WhenOp = (typeof WHEN_OPS)[number]

/** A condition that a block of a text is shown on. */
export interface When {
  /** A path as Liquid writes it: `claim.status`. */
  readonly path: string
  readonly op: WhenOp
  /** What it is compared with: one value, several for `is one of`, two for `between`. */
  readonly values: readonly string[]
}

const SIGNS: Readonly<Partial<Record<WhenOp, string>>> = { is: '==', 'is not': '!=', contains: 'contains', 'more than': '>', 'at least': '>=', 'less than': '<', 'at most': '<=' }
const BY_SIGN = new Map(Object.entries(SIGNS).map(([op, sign]) => [sign, op as WhenOp]))

const PATH = /^[a-z_][\w.]*$/i
const PART = /^([a-z_][\w.]*) (==|!=|>=|<=|>|<|contains) (?:"([^"]*)"|(-?\d+(?:\.\d+)?)|(true|false))$/i
const BEFORE = /^before\.(\w+) != (\w+)\.\1$/i

interface Part {
  readonly path: string
  readonly op: WhenOp
  readonly value: string
}

function readPart(text: string): Part | null {
  const m = PART.exec(text)
  const op = m && BY_SIGN.get(m[2] ?? '')
  return m?.[1] && op ? { path: m[1], op, value: m[3] ?? m[4] ?? m[5] ?? '' } : null
}

/** Reads a condition of Liquid on a block, such as `if claim.amount > 500`; null where it is anything more than one comparison. */
export function readWhen(when: string): When | null {
  const [word = '', ...rest] = when.split(' ')
  const said = rest.join(' ').trim()
  if (word === 'unless') return PATH.test(said) ? { path: said, op: 'blank', values: [] } : null
  if (word !== 'if') return null
  if (PATH.test(said)) return { path: said, op: 'filled', values: [] }
  const before = BEFORE.exec(said)
  if (before) return { path: `${before[2]}.${before[1]}`, op: 'differs from before', values: [] }
  const single = readPart(said)
  if (single) return { path: single.path, op: single.op, values: [single.value] }
  const either = said.split(/ or (?=[a-z_][\w.]* ==)/i).map(readPart)
  const [first] = either
  if (first && either.length > 1 && either.every((p) => p !== null && p.path === first.path && p.op === 'is'))
    return { path: first.path, op: 'is one of', values: either.map((p) => p?.value ?? '') }
  const [from, to, ...others] = said.split(/ and (?=[a-z_][\w.]* <=)/i).map(readPart)
  if (from && to && others.length === 0 && from.path === to.path && from.op === 'at least' && to.op === 'at most')
    return { path: from.path, op: 'between', values: [from.value, to.value] }
  return null
}

/** A value as Liquid writes it: numbers and yes or no bare, the rest in quotes, without what would end them. */
const literal = (value: string, isBare: boolean) => {
  const plain = value.replaceAll(/["%{}\n]/g, '')
  return isBare && /^(-?\d+(\.\d+)?|true|false)$/.test(plain) ? plain : `"${plain}"`
}

/** Writes a condition on a block as Liquid; `type` is that of the field at the path. */
export function writeWhen({ path, op, values }: When, type: FieldType | null = null): string {
  if (op === 'filled') return `if ${path}`
  if (op === 'blank') return `unless ${path}`
  if (op === 'differs from before') return `if before.${path.split('.').slice(1).join('.')} != ${path}`
  const isBare = type === null || ['number', 'money', 'yes/no'].includes(type)
  const [one = '', two = ''] = values
  if (op === 'is one of') return `if ${(values.length ? values : ['']).map((v) => `${path} == ${literal(v, isBare)}`).join(' or ')}`
  if (op === 'between') return `if ${path} >= ${literal(one, isBare)} and ${path} <= ${literal(two, isBare)}`
  return `if ${path} ${SIGNS[op]} ${literal(one, isBare)}`
}

const ORDERED: readonly WhenOp[] = ['is', 'is not', 'more than', 'at least', 'less than', 'at most', 'between']
const OF_TEXT: readonly WhenOp[] = ['is', 'is not', 'is one of', 'contains']

/** The comparisons that a field of a type allows; `moves` where there is a before to differ from. */
export function whenOpsFor(type: FieldType | null, moves: boolean): WhenOp[] {
  const compared =
    type === 'number' || type === 'money' || type === 'date' || type === 'date-time'
      ? ORDERED
      : type === 'yes/no'
        ? (['is'] as const)
        : type === 'choice'
          ? (['is', 'is not', 'is one of'] as const)
          : OF_TEXT
  return ['filled', 'blank', ...compared, ...(moves ? (['differs from before'] as const) : [])]
}
