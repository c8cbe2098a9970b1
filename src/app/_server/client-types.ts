import { must } from '@/core/must'
import type { openApi } from './openapi'
import type { JsonSchema } from './shapes/described'

type Described = ReturnType<typeof openApi>

const TYPES: Readonly<Record<string, string>> = { string: 'string', integer: 'number', number: 'number', boolean: 'boolean', null: 'null' }

const text = (value: unknown) => (typeof value === 'string' ? `'${value.replaceAll('\\', '\\\\').replaceAll("'", "\\'")}'` : JSON.stringify(value))
const member = (name: string) => (/^[a-z_$][\w$]*$/i.test(name) ? name : text(name))

/** A JSON Schema as a type of TypeScript. */
export function typeOf(schema: JsonSchema): string {
  const { type, enum: values, anyOf, $ref, items, properties, required = [], additionalProperties } = schema
  if ($ref !== undefined) return must($ref.split('/').at(-1))
  if (anyOf) return anyOf.map(typeOf).join(' | ')
  if (values) return values.map(text).join(' | ')
  if (typeof type === 'object') return type.map((one) => typeOf({ ...schema, type: one })).join(' | ')
  if (type === 'array') {
    const entry = items ? typeOf(items) : 'unknown'
    return `readonly ${entry.includes(' ') && !entry.startsWith('{') ? `(${entry})` : entry}[]`
  }
  if (type !== 'object') return TYPES[String(type)] ?? 'unknown'
  if (!properties) return 'Readonly<Record<string, unknown>>'
  const members = Object.entries(properties).map(([name, part]) => `readonly ${member(name)}${required.includes(name) ? '' : '?'}: ${typeOf(part)}`)
  return `{ ${[...members, ...(additionalProperties === false ? [] : ['readonly [more: string]: unknown'])].join('; ')} }`
}

/** The calls that a description has, as a module of TypeScript: what stands in each one's path, and its body. */
export function clientTypes({ paths, components }: Described): string {
  const documents = Object.entries(components.schemas).map(([name, schema]) => `export type ${name} = ${typeOf(schema)}`)
  const calls = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, { summary, parameters, requestBody }]) => {
      const names = parameters.filter((p) => p.in === 'path').map((p) => `readonly ${member(p.name)}: string | number`)
      const body = requestBody ? typeOf(requestBody.content['application/json'].schema) : null
      return `  /** ${summary.replaceAll('*/', '* /')} */\n  readonly ${text(`${method.toUpperCase()} ${path}`)}: { readonly path: ${names.length ? `{ ${names.join('; ')} }` : 'undefined'}; readonly body: ${body ?? 'undefined'} }`
    }),
  )
  return `/* Made from the API's description by \`npm run client\`: not to be changed by hand. */\n\n${documents.join('\n\n')}\n\n/** Every call of the API: what stands in its path, and its body. */\nexport interface Calls {\n${calls.join('\n')}\n}\n`
}
