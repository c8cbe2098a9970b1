import { readFileSync } from 'node:fs'
import { clientTypes, typeOf } from '@/app/_server/client-types'
import { openApi } from '@/app/_server/openapi'

/** A text without its white space, for the file is laid out anew. */
const plain = (text: string) => text.replaceAll(/[\s;,|]+/g, '').replaceAll(/[()]/g, '')

test('the client’s calls are those of the description; `npm run client` makes them anew', () => {
  expect(plain(readFileSync('src/client/calls.ts', 'utf8'))).toBe(plain(clientTypes(openApi(''))))
})

test.each([
  [{ type: 'array', items: { type: ['string', 'null'] } }, 'readonly (string | null)[]'],
  [{ type: 'object', properties: { 'a-b': { type: 'integer' } }, required: ['a-b'], additionalProperties: false }, "{ readonly 'a-b': number }"],
  [{ anyOf: [{ $ref: '#/components/schemas/Condition' }, { type: 'null' }] }, 'Condition | null'],
  [{ enum: ['it’s', "it's", null] }, "'it’s' | 'it\\'s' | null"],
  [{}, 'unknown'],
])('%j is %s', (schema, type) => {
  expect(typeOf(schema)).toBe(type)
})
