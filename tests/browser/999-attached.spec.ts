import { execFileSync } from 'node:child_process'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import { Hand } from './hand'
import { api, secret, subjectsTo } from './installation'
import { MAREN, signInOnPage } from './people'

/** Tables of another program are attached, told of, altered by it, and let go of. */

const psql = (...args: string[]) => execFileSync('psql', [secret('database-url'), '-q', '-v', 'ON_ERROR_STOP=1', ...args])
test.beforeAll(() => void psql('-f', join(process.cwd(), 'tests/attach/wholesale.sql')))
test.afterAll(() => {
  psql('-c', 'drop schema if exists wholesale cascade; drop schema if exists "Old Stock" cascade')
})

test('another program’s tables are attached from Records; what cannot be says why', async ({ page }) => {
  await signInOnPage(page)
  const hand = new Hand(page)
  await hand.click(page.getByRole('link', { name: 'Records', exact: true }))
  await hand.click(page.getByRole('link', { name: 'Attach tables' }))
  await expect(page.getByText('It is a view, which is read from other tables: attach those.')).toBeVisible()
  await expect(page.getByText(/Its primary key has 2 columns \(order_no, line\)/)).toBeVisible()
  for (const table of ['Customer', 'employee', 'order', 'region']) await hand.click(page.getByRole('checkbox', { name: `Attach ${table}`, exact: true }))
  await hand.type(page.getByRole('textbox', { name: 'Name of order here' }), 'orders')
  await hand.click(page.getByRole('button', { name: 'Attach 4 tables' }))
  await expect(page.getByRole('link', { name: /^Order/ })).toContainText('wholesale.order')
  console.log(`four tables attached: ${hand.count} interactions`)
  expect(hand.count).toBeLessThanOrEqual(8)

  await page.getByRole('link', { name: /^Order/ }).click()
  const grid = page.getByRole('grid')
  await expect(grid.getByText('Lantern & Sons')).toBeVisible()
  await page.getByRole('link', { name: 'Fields' }).click()
  await expect(page.getByText('Its owner lets Rappel write to it as well.')).toBeVisible()
  await expect(page.getByRole('textbox', { name: 'Add a field' })).toHaveCount(0)
  await expect(page.getByText('number, read only')).toBeVisible()
})

test('its program writes, and the mail goes; it drops a column, and Today says which workflow is paused', async ({ page }) => {
  const workflow = {
    rappel: 'workflow/1',
    table: 'orders',
    cue: { kind: 'record', on: ['created', 'changed'] },
    conditions: { field: 'state', op: 'changed to', value: 'sent' },
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ address: MAREN }],
        subject: 'Order {{ order.id }} of {{ order.customer.company_name }} is sent',
        body: '{{ order.note }}',
        format: 'plain',
      },
    ],
  }
  const path = '/api/v1/workflows/Orders%20sent'
  expect((await api('PUT', path, workflow)).status).toBe(200)
  expect((await api('POST', `${path}/live`)).status).toBe(200)
  psql('-c', `update wholesale."order" set state = 'sent' where order_no = 1`)
  await expect.poll(() => subjectsTo(MAREN)).toContain('Order 1 of Lantern & Sons is sent')
  psql('-c', 'alter table wholesale."order" drop column note')
  await expect.poll(async () => (await api('GET', path)).body.state).toBe('paused')
  await signInOnPage(page)
  const eye = page.getByRole('region', { name: 'What wants your eye' })
  await expect(eye.getByText(/dropped the column note: the field note is gone\. Paused, because they speak of it: Orders sent/)).toBeVisible()
  expect((await api('GET', '/api/v1/health')).body.problems).toEqual([])
  expect((await api('DELETE', path)).status).toBe(204)
})

test('a record is changed here as its owner allows; let go of, the tables are as they were', async ({ page }) => {
  const { body } = await api('PATCH', '/api/v1/records/orders/2', { net: 99 })
  expect(body).toMatchObject({ net: 99, gross: 118.8 })
  expect((await api('PATCH', '/api/v1/records/orders/2', { gross: 1 })).status).toBe(422)
  expect((await api('POST', '/api/v1/tables/lines/attach', { schema: 'wholesale', table: 'order_line' })).body.detail).toMatch(/Its primary key has 2 columns/)
  expect((await api('POST', '/api/v1/tables/claims/detach')).status).toBe(409)
  await signInOnPage(page)
  await page.goto('/records/orders/fields')
  await page.getByRole('button', { name: 'Let go of the table' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Let go of the table' }).click()
  await expect(page.getByRole('link', { name: 'Attach tables' })).toBeVisible()
  for (const name of ['customer', 'employee', 'region']) expect((await api('POST', `/api/v1/tables/${name}/detach`, { anyway: true })).status).toBe(200)
  expect(String(psql('-Atc', `select count(*) from pg_trigger where tgname like 'rappel%' and tgrelid::regclass::text like 'wholesale.%'`)).trim()).toBe('0')
})
