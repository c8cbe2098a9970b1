import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { listChanges } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { forgetTraces } from '@/store/log'
import { readSchema } from '@/store/tables'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { startWorkerProcess } from '../support/worker-process'

interface Span {
  readonly name: string
  readonly traceId: string
  readonly spanId: string
  readonly parentSpanId?: string
}

let engine: Engine
beforeAll(async () => {
  engine = await startEngine()
})
afterAll(() => engine.stop())

// Source: OTLP 1 over HTTP with JSON (OpenTelemetry Protocol Specification): POST /v1/traces, spans under resourceSpans and scopeSpans; W3C Trace Context for the parent.
test('spans of decision and delivery go to a collector, in the trace of the call that saved, one after the other', async () => {
  const spans: Span[] = []
  const collector = createServer((request, response) => {
    let text = ''
    request.on('data', (chunk) => (text += chunk))
    request.on('end', () => {
      const sent = JSON.parse(text) as { resourceSpans: { scopeSpans: { spans: Span[] }[] }[] }
      if (request.url === '/v1/traces') spans.push(...sent.resourceSpans.flatMap((r) => r.scopeSpans.flatMap((s) => s.spans)))
      response.writeHead(200, { 'content-type': 'application/json' }).end('{}')
    })
  })
  await new Promise<void>((resolve) => collector.listen(0, '127.0.0.1', resolve))
  process.env.OTEL_EXPORTER_OTLP_ENDPOINT = `http://127.0.0.1:${(collector.address() as AddressInfo).port}`
  process.env.OTEL_BSP_SCHEDULE_DELAY = '100'
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  const worker = await startWorkerProcess(engine)
  delete process.env.OTEL_EXPORTER_OTLP_ENDPOINT
  const trace = '00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01'
  await transaction(engine.pool, async (db) => {
    await db.query(`select set_config('rappel.by', $1, true)`, [JSON.stringify({ kind: 'token', person: null, name: 'test', trace })])
    await db.query('insert into data.claims (owner) values ($1)', [ines])
  })
  const delivered = await until('the spans', () => spans.find((s) => s.name === 'deliver'), 20_000)
  const decided = spans.find((s) => s.name === 'decide')
  expect(decided).toMatchObject({ traceId: trace.slice(3, 35), parentSpanId: trace.slice(36, 52) })
  expect(delivered).toMatchObject({ traceId: trace.slice(3, 35), parentSpanId: decided?.spanId })
  expect((await one<{ trace: string }>(engine.pool, 'select trace from rappel.message')).trace).toBe(`00-${decided?.traceId}-${decided?.spanId}-01`)
  const ended = new Promise((resolve) => worker.once('exit', resolve))
  worker.kill('SIGTERM')
  await ended
  await new Promise((resolve) => collector.close(resolve))
}, 60_000)

test('calls that each have a trace of their own are one who changes, and their traces are let go of once they are old', async () => {
  for (let i = 0; i < 20; i++)
    await transaction(engine.pool, async (db) => {
      const trace = `00-0af7651916cd43dd8448eb211c900${String(i).padStart(3, '0')}-b7ad6b7169203331-01`
      await db.query(`select set_config('rappel.by', $1, true)`, [JSON.stringify({ kind: 'token', person: null, name: 'many', trace })])
      await db.query(`insert into data.claims (amount) values ($1)`, [i])
    })
  const { changes } = await listChanges(engine.pool, await readSchema(engine.pool), { table: 'claims', limit: 50 })
  expect(changes.filter((c) => c.by.name === 'many')).toHaveLength(20)
  expect(await many(engine.pool, `select by from rappel.actor where by ->> 'name' = 'many'`)).toEqual([{ by: { kind: 'token', person: null, name: 'many' } }])
  expect((await many(engine.pool, `select from rappel.traced where trace like '%900___-%'`)).length).toBe(20)
  await forgetTraces(engine.pool, new Date(Date.now() + 60_000))
  expect(await many(engine.pool, 'select from rappel.traced')).toEqual([])
})
