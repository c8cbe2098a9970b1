import { expect, test } from '@playwright/test'
import { api } from './installation'
import { INES, signIn } from './people'

/** An administrator's own list becomes a table, and its first alert: pasted from a spreadsheet, looked at, made, and told about. */

const ROWS = [
  'Ref\tGuest\tKeeper\tArrives\tPaid\tFee\tState',
  ...Array.from(
    { length: 24 },
    (_, i) =>
      `GV-${String(i + 1).padStart(3, '0')}\tGuest ${String.fromCharCode(65 + i)}\t${INES}\t${(i % 27) + 1}/12/2026\t${i % 2 ? 'yes' : 'no'}\t£${i * 10}.00\t${i % 3 ? 'Asked' : 'Confirmed'}`,
  ),
].join('\n')

test('rows are pasted, proposed as a table, corrected, made; its starters stand ready', async ({ page, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write'])
  await signIn(page)
  await page.goto('/records')
  await page.getByRole('link', { name: 'Make a table', exact: true }).click()
  await expect(page.getByRole('heading', { name: 'Make a table', exact: true })).toBeVisible()
  await page.evaluate((rows) => navigator.clipboard.writeText(rows), ROWS)
  await page.keyboard.press('Control+V')
  await expect(page.getByText('with tabs between, 24 rows')).toBeVisible()
  const holds = (name: string) => page.getByRole('combobox', { name: `What ${name} holds` })
  await expect(page.getByText('automatic number GV-{000}')).toBeVisible()
  for (const [name, type] of [
    ['Guest', 'text'],
    ['Keeper', 'person'],
    ['Arrives', 'date'],
    ['Paid', 'yes/no'],
    ['Fee', 'money'],
    ['State', 'choice'],
  ] as const)
    await expect(holds(name)).toHaveText(type)
  await page.getByLabel('What the table is called').fill('Guest visits')
  await page.getByLabel('One of its records is a').fill('visit')
  await holds('Paid').click()
  await page.getByRole('option', { name: 'left out' }).click()
  await page.getByRole('button', { name: 'Make it, with 24 records' }).click()
  await expect(page.getByRole('heading', { name: 'Guest visits' })).toBeVisible()
  await expect(page.getByText('24 in all')).toBeVisible()
  const { tables } = (await api('GET', '/api/v1/tables')).body as unknown as {
    tables: { name: string; singular: string; titleField: string; ownerField?: string; fields: { name: string }[] }[]
  }
  expect(tables.find((t) => t.singular === 'visit')).toMatchObject({
    titleField: 'ref',
    ownerField: 'keeper',
    fields: ['ref', 'guest', 'keeper', 'arrives', 'fee', 'state'].map((name) => ({ name })),
  })
  const made = await api('POST', '/api/v1/records/guest_visits', { guest: 'One more' })
  expect([made.status, (made.body as unknown as { ref: string }).ref]).toEqual([201, 'GV-025'])
  await page.getByRole('button', { name: /Tell somebody when/ }).click()
  await expect(page.getByRole('menuitem', { name: 'keeper becomes somebody else' })).toBeVisible()
})

test('the API: a file that is none is refused in words', async () => {
  expect((await api('POST', '/api/v1/tables/propose?name=x.csv', '')).status).toBe(422)
  const broken = await api('POST', '/api/v1/tables/propose?name=x.csv', 'a,b\n1,"2\n')
  expect([broken.status, broken.body.detail]).toEqual([422, expect.stringContaining('quotation mark')])
})
