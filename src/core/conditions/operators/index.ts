import { OPS, type Op } from '../../document/condition'
import type { FieldType } from '../../values/tables'
import type { Operator } from '../clause'
import { equality } from './equality'
import { movementOperators } from './movement'
import { order } from './order'
import { text } from './text'

/** Every operator by its name in the document. */
export const OPERATORS: Record<Op, Operator> = { ...equality, ...text, ...order, ...movementOperators } satisfies Record<Op, Operator>

/** The operators that a field of this type can be tested with, in the order people meet them. */
export function operatorsFor(type: FieldType): Op[] {
  return OPS.filter((op) => OPERATORS[op].on(type))
}
