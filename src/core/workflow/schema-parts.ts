import * as yup from 'yup'

/** A text. */
export const text = () => yup.string().strict()
/** An object with these members and no others; what is not there stays undefined. */
export const closed = <T extends yup.ObjectShape>(shape: T) => yup.object(shape).noUnknown().strict().default(undefined)

/** A mixed schema that accepts a value when one of the alternatives does. */
export function oneOfShapes(what: string, ...shapes: yup.Schema<unknown, yup.AnyObject, unknown, yup.Flags>[]) {
  return yup.mixed().test('shape', `\${path} is not ${what}`, (value) => value === undefined || shapes.some((s) => s.isValidSync(value, { strict: true })))
}
