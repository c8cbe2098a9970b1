import * as yup from 'yup'
import { membersOf } from '../must'

/** A breach of the document's shape: where (JSON Pointer) and what. */
export interface ShapeProblem {
  readonly path: string
  readonly message: string
}

/** A text. */
export const text = () => yup.string().strict()
/** An object with these members and no others; what is not there stays undefined. */
export const closed = <T extends yup.ObjectShape>(shape: T) => yup.object(shape).noUnknown().strict().default(undefined)

/** Whether a value is of a shape; unions of shapes are told apart by these, since a document may hold thousands of them. */
export type Shape = (value: unknown) => boolean

export const isText: Shape = (value) => typeof value === 'string'
export const isTrue: Shape = (value) => value === true
export const isWhole = (value: unknown): value is number => Number.isInteger(value)

/** The shape of an object with just these members. */
export function only(members: Readonly<Record<string, Shape>>): Shape {
  const wanted = Object.entries(members)
  return (value) => {
    if (typeof value !== 'object' || value === null || Array.isArray(value)) return false
    return Object.keys(value).length === wanted.length && wanted.every(([name, fits]) => Object.hasOwn(value, name) && fits(membersOf(value)[name]))
  }
}

/** The shape of whatever one of the alternatives accepts. */
export function either(...shapes: readonly Shape[]): Shape {
  return (value) => shapes.some((fits) => fits(value))
}

/** A schema of one value of a shape; `what` says in words what it should be. */
export function shaped(what: string, fits: Shape) {
  return yup.mixed().test('shape', `\${path} is not ${what}`, (value) => value === undefined || fits(value))
}

/** A schema of a list of values of a shape; each that is not one is named by its place. */
export function listed(what: string, fits: Shape) {
  return yup.mixed().test('list', '', (value, context) => {
    if (value === undefined) return true
    if (!Array.isArray(value)) return context.createError({ message: `${context.path} is not a list` })
    const errors = value.flatMap((entry, i) => (fits(entry) ? [] : [context.createError({ path: `${context.path}[${i}]`, message: `${context.path}[${i}] is not ${what}` })]))
    return errors.length === 0 || new yup.ValidationError(errors, value, context.path)
  })
}
