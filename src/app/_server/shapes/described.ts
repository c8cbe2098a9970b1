import * as yup from 'yup'

/** Documents that have shapes of their own, which core reads. */
export type DocumentName = 'Workflow' | 'Figure' | 'Table' | 'Condition'

/** A JSON Schema (2020-12), as far as descriptions here use it. */
export interface JsonSchema {
  readonly type?: string | readonly string[]
  readonly enum?: readonly unknown[]
  readonly anyOf?: readonly JsonSchema[]
  readonly $ref?: string
  readonly items?: JsonSchema
  readonly properties?: Readonly<Record<string, JsonSchema>>
  readonly required?: readonly string[]
  readonly additionalProperties?: boolean
  readonly description?: string
  readonly [keyword: string]: unknown
}

const isObject = (given: unknown) => given === undefined || given === null || (typeof given === 'object' && !Array.isArray(given))

/** A document within a body: that it is an object is checked here, what is in it by whoever reads it. */
export const documentOf = <T extends object>(name: DocumentName) =>
  yup.mixed<T>().meta({ document: name }).test('object', '${path} is a JSON object', isObject).required('${path} is missing: a JSON object')

/** A document that may be left out. */
export const mayHave = <T extends object>(name: DocumentName) => yup.mixed<T>().meta({ document: name }).test('object', '${path} is a JSON object', isObject)

/** Tests of a description as JSON Schema's keywords. */
const KEYWORDS: Readonly<Record<string, (type: string, params: Readonly<Record<string, unknown>>) => JsonSchema>> = {
  min: (type, { min }) => ({ [type === 'string' ? 'minLength' : type === 'array' ? 'minItems' : 'minimum']: min }),
  max: (type, { max }) => ({ [type === 'string' ? 'maxLength' : type === 'array' ? 'maxItems' : 'maximum']: max }),
  length: (type, { length }) => (type === 'array' ? { minItems: length, maxItems: length } : { minLength: length, maxLength: length }),
  matches: (_, { regex }) => ({ pattern: regex instanceof RegExp ? regex.source : undefined }),
  integer: () => ({ type: 'integer' }),
  noUnknown: () => ({ additionalProperties: false }),
}

/** A Yup schema as JSON Schema: its types, bounds and values, documents by reference; what else it checks is code. */
export const jsonSchemaOf = (schema: { describe(): yup.SchemaFieldDescription }): JsonSchema => described(schema.describe())

function described(given: yup.SchemaFieldDescription): JsonSchema {
  if (!('tests' in given)) return {}
  const { type, nullable, oneOf, tests, meta } = given
  const document = meta && 'document' in meta ? meta.document : undefined
  if (document) return orNull({ $ref: `#/components/schemas/${document}` }, nullable)
  const values: JsonSchema = oneOf.length ? { enum: oneOf } : {}
  if (type === 'mixed') return values
  const keywords = tests.map(({ name = '', params = {} }) => KEYWORDS[name]?.(type, params) ?? {})
  return orNull(Object.assign({ type, ...membersOf(given), ...values }, ...keywords), nullable)
}

/** What is in an object or a list. */
function membersOf(given: yup.SchemaFieldDescription): JsonSchema {
  if ('fields' in given) {
    const required = Object.entries(given.fields).flatMap(([name, part]) => ('optional' in part && !part.optional ? [name] : []))
    const properties = Object.fromEntries(Object.entries(given.fields).map(([name, part]) => [name, described(part)]))
    return { ...(Object.keys(properties).length ? { properties } : {}), ...(required.length ? { required } : {}) }
  }
  return 'innerType' in given && given.innerType && !Array.isArray(given.innerType) ? { items: described(given.innerType) } : {}
}

function orNull(schema: JsonSchema, nullable: boolean): JsonSchema {
  if (!nullable) return schema
  if (typeof schema.type !== 'string') return { anyOf: [schema, { type: 'null' }] }
  return { ...schema, type: [schema.type, 'null'], ...(schema.enum && !schema.enum.includes(null) ? { enum: [...schema.enum, null] } : {}) }
}
