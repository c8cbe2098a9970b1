import * as yup from 'yup'
import { FIELD_TYPES, type FieldDef, KEYS, type TableDef } from './tables'

const text = () => yup.string().strict()

const fieldSchema = yup
  .object({
    name: text().required(),
    label: text().required(),
    type: text()
      .oneOf([...FIELD_TYPES])
      .required(),
    choices: yup.array(text().required()).strict(),
    table: text(),
    required: yup.boolean().strict(),
    default: yup.mixed().nullable(),
    number: text(),
    // Said of a link's table, and no more: what is read can be given back.
    key: text().oneOf([...KEYS]),
    housekeeping: yup.boolean().strict(),
    readOnly: yup.boolean().strict(),
    unique: yup.boolean().strict(),
    marks: yup.mixed().test('marks', '${path} is an object of choices and their marks', (given) => given === undefined || isMarks(given)),
  })
  .noUnknown()
  .strict()

const isMarks = (given: unknown) => typeof given === 'object' && given !== null && Object.values(given).every((mark) => typeof mark === 'string' && [...mark].length === 1)

/** The shape of a table's definition. */
export const tableSchema = yup
  .object({
    name: text(),
    label: text().required(),
    singular: text().required(),
    titleField: text().required(),
    ownerField: text().nullable(),
    key: text().oneOf([...KEYS]),
    archived: yup.boolean().strict(),
    // Said of tables of other programs, and no more.
    attached: yup.mixed(),
    fields: yup.array(fieldSchema.required()).strict().required(),
  })
  .noUnknown()
  .strict()

/** Reads a field's definition from outside; gives it back, or every breach of its shape. */
export function readFieldDef(input: Readonly<Record<string, unknown>>): { field: FieldDef } | { problems: { code: string; path: string; message: string }[] } {
  try {
    const { key: _, ...read } = fieldSchema.validateSync(input, { abortEarly: false, strict: true })
    return { field: read as FieldDef }
  } catch (error) {
    return { problems: breaches(error) }
  }
}

/** Every breach of a shape, each with its JSON Pointer. @throws the error, where it is none of a shape */
function breaches(error: unknown): { code: string; path: string; message: string }[] {
  if (!(error instanceof yup.ValidationError)) throw error
  const inner = error.inner.length ? error.inner : [error]
  return inner.map((e) => ({ code: 'wrong shape', path: `/${(e.path ?? '').replaceAll(/\[(\d+)\]/g, '/$1').replaceAll('.', '/')}`, message: `${e.message}.` }))
}

/** Reads a table's definition from outside; gives it back under its name, or every breach of its shape. */
export function readTableDef(name: string, input: Readonly<Record<string, unknown>>): { table: TableDef } | { problems: { code: string; path: string; message: string }[] } {
  try {
    const { ownerField, key, ...read } = tableSchema.validateSync(input, { abortEarly: false, strict: true })
    return { table: { ...read, ...(ownerField ? { ownerField } : {}), ...(key && key !== 'number' ? { key } : {}), name } as TableDef }
  } catch (error) {
    return { problems: breaches(error) }
  }
}
