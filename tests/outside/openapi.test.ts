import { Validator } from '@seriousme/openapi-schema-validator'
import { ACCESS } from '@/app/_server/access'
import { openApi } from '@/app/_server/openapi'

// Source: OpenAPI 3.1.0 and its published JSON Schema, as the validator carries it.
test('the description of the API is one by the published schema, and has every call', async () => {
  const described = openApi('http://127.0.0.1:4170')
  const validator = new Validator()
  const result = await validator.validate(structuredClone(described))
  expect([result.valid, result.errors]).toEqual([true, undefined])
  expect(validator.version).toBe('3.1')
  const calls = Object.entries(described.paths).flatMap(([path, methods]) => Object.keys(methods).map((method) => `${method.toUpperCase()} ${path}`))
  const known = Object.keys(ACCESS)
    .filter((call) => call.includes(' /api/v1/'))
    .map((call) => call.replace('/api/v1', '').replaceAll(/\[(\w+)\]/g, '{$1}'))
  expect(calls.sort()).toEqual(known.sort())
})
