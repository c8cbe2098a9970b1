import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Decimal } from 'decimal.js'
import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import { forecastBulk } from '@/engine/bulk/forecast'
import { type Bulk, doBulk } from '@/engine/bulk/write'
import { Upkeep } from '@/engine/figures/upkeep'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { attachTable } from '@/store/attach/attach'
import { many } from '@/store/database'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { listGroups } from '@/store/figures/values'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'
import { makeWholesale } from './wholesale'

/** An attached table is one like any other: figures, rehearsals, imports, mass edits and forecasts know no difference. */
let db: Awaited<ReturnType<typeof freshDatabase>>
let theirs: Awaited<ReturnType<typeof makeWholesale>>
let pool: Pool
let folder: string
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  folder = await mkdtemp(join(tmpdir(), 'rappel-attach-'))
  theirs = await makeWholesale(db.url)
  for (const [table, name] of Object.entries({ region: 'regions', Customer: 'customers', employee: 'employees', order: 'orders' }))
    await attachTable(pool, name, { schema: 'wholesale', table })
})
afterEach(async () => {
  await theirs.end()
  await db.drop()
  await rm(folder, { recursive: true, force: true })
})

test('a figure over it is there at once, and moves with what its program writes', async () => {
  const setting = await readSurroundings(pool, BASE_URL)
  const now = new Date()
  await putFigure(pool, { rappel: 'figure/1', name: 'net_by_region', table: 'orders', of: { sum: 'net' }, by: 'customer.region' }, setting, now)
  const values = async () =>
    Object.fromEntries((await listGroups(pool, (await listFigures(pool))[0]?.id ?? 0, 10)).map((g) => [g.grp, g.value === null ? null : new Decimal(g.value).toNumber()]))
  expect(await values()).toEqual({ '"N"': 120, '"S"': 80 })
  await theirs.as.query(`update "order" set net = 20 where order_no = 1; insert into "order" (customer, net) values (2, 5)`)
  await theirs.as.query(`update "Customer" set "Region" = 'N' where "CustomerId" = 2`) // what hangs on it moves along
  await new Upkeep(
    pool,
    () => now,
    async () => undefined,
  ).moveAll(await readSurroundings(pool, BASE_URL))
  expect(await values()).toEqual({ '"N"': 105, '"S"': 0 })
})

test('what it went through is rehearsed, over links, as it stood then', async () => {
  const workflow: Workflow = {
    rappel: 'workflow/1',
    name: 'Placed',
    table: 'orders',
    cue: { kind: 'record', on: ['changed'] },
    conditions: {
      all: [
        { field: 'state', op: 'changed to', value: 'picked' },
        { field: 'customer.terms', op: 'is', value: 'net 30' },
      ],
    },
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'customer.contact_email' }], subject: '{{ order.customer.company_name }}', body: 'b', format: 'plain' }],
  }
  await theirs.as.query(`update "order" set state = 'picked'`)
  await theirs.as.query(`update "Customer" set "Terms" = 'prepaid', "CompanyName" = 'Later'`)
  const findings = review(workflow, await readReviewSetting(pool))
  expect(findings.filter((f) => f.level === 'error')).toEqual([])
  const span = { from: new Date(Date.now() - 3_600_000), to: new Date(Date.now() + 3_600_000) }
  const told = await rehearse(pool, workflow, findings, await readSurroundings(pool, BASE_URL), { span, samples: 5, live: null })
  expect([told.firings, told.byRecipient.map((r) => r.address), told.samples[0]?.messages[0]?.subject]).toEqual([1, ['office@lantern.example'], 'Lantern & Sons'])
})

test('a file changes and creates its records by a key, after a forecast of what that sets off; many are edited as one', async () => {
  await goLive(
    { pool },
    {
      rappel: 'workflow/1',
      name: 'Rated',
      table: 'customers',
      cue: { kind: 'record', on: ['created', 'changed'] },
      conditions: { field: 'rating', op: 'is', value: 'A' },
      firing: 'entering',
      actions: [{ name: 'tell', do: 'email', to: [{ address: 'desk@office.example' }], subject: 'S', body: 'b', format: 'plain' }],
    },
  )
  const path = join(folder, 'customers.csv')
  await writeFile(path, 'Company name;Rating;Credit limit;Region\nQuill Ltd;A;1.250,50;North\nNew & Co;B;;S\nLantern & Sons;D;;\n')
  const file: Bulk = { kind: 'import', table: 'customers', path, key: 'company_name', deleteMissing: false, partly: true }
  const by = { kind: 'person' as const, person: null, name: 'Ida' }
  const options = { setting: await readReviewSetting(pool) }
  const told = await forecastBulk(pool, file, by, BASE_URL, options)
  expect(told).toMatchObject({ created: 1, changed: 1, refused: 1, workflows: [{ name: 'Rated', firings: 1 }] })
  expect(told.refusals[0]?.problems[0]?.message).toMatch(/Rating is one of A, B, C/)
  expect(await doBulk(pool, file, { by, name: 'customers.csv', quiet: false }, options)).toMatchObject({ created: 1, changed: 1, refused: 1 })
  expect(
    await many(pool, `select "CompanyName" as name, "Rating" as rating, "CreditLimit"::numeric::text as credit, "Region" as region from wholesale."Customer" order by 1`),
  ).toEqual([
    { name: 'Lantern & Sons', rating: 'A', credit: '5000.00', region: 'N' },
    { name: 'New & Co', rating: 'B', credit: null, region: 'S' },
    { name: 'Quill Ltd', rating: 'A', credit: '1250.50', region: 'N' },
  ])
  const edit: Bulk = { kind: 'edit', table: 'customers', which: { where: { field: 'terms', op: 'is filled' } }, set: { is_active: false } }
  expect(await doBulk(pool, edit, { by, name: 'edit', quiet: false }, options)).toMatchObject({ changed: 2 })
  expect(await many(pool, `select kind, by ->> 'name' as by from rappel_change.customers where 'is_active' = any(changed) and kind = 'changed'`)).toEqual([
    { kind: 'changed', by: 'Ida' },
    { kind: 'changed', by: 'Ida' },
  ])
})
