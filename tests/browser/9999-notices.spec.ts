import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect, test } from '@playwright/test'
import { api } from './installation'
import { INES, RAFI, sessionOf, signIn } from './people'

/** Notices: shown to the people whom they are for until these have read them, and told where a channel does not take them. */

const NAME = 'Claims put on the board'
const PATH = `/api/v1/workflows/${encodeURIComponent(NAME)}`
const CHANNEL = 'Board in the hall'

let answers: number[] = []
const board = createServer((request, response) => {
  request.resume().on('end', () => response.writeHead(answers.shift() ?? 202).end())
})

test.beforeAll(async () => {
  await new Promise<void>((resolve) => board.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(board.address() as AddressInfo).port}/`
  expect((await api('PUT', `/api/v1/channels/${encodeURIComponent(CHANNEL)}`, { url, secret: 'a secret of the hall, long enough' })).status).toBe(200)
  await api('PUT', PATH, {
    rappel: 'workflow/1',
    name: NAME,
    table: 'claims',
    cue: { kind: 'record', on: ['created'] },
    firing: 'every',
    conditions: { all: [{ field: 'number', op: 'starts with', value: 'BOARD-' }] },
    actions: [{ name: 'post', do: 'notice', channel: CHANNEL, to: [{ address: INES }], title: '{{ claim.number }} came', text: 'Somebody should look at it.' }],
  })
  expect((await api('POST', `${PATH}/live`)).status).toBe(200)
})
test.afterAll(async () => {
  await api('DELETE', PATH)
  await api('DELETE', `/api/v1/channels/${encodeURIComponent(CHANNEL)}`)
  await new Promise((resolve) => board.close(resolve))
})

const claim = async (number: string) => expect((await api('POST', '/api/v1/records/claims', { number, kind: 'Baggage', status: 'New' })).status).toBe(201)
const notices = async () => (await api('GET', `/api/v1/notices?channel=${encodeURIComponent(CHANNEL)}`)).body.notices as unknown as { id: number; title: string; state: string }[]

test('a notice that its channel refused stands on Today and beside its run until it was given again', async ({ page }) => {
  answers = [410]
  await claim('BOARD-1')
  await expect.poll(async () => (await notices())[0]?.state).toBe('failed')
  await signIn(page)
  await page.goto('/')
  const matter = page.getByRole('article').filter({ hasText: `${NAME}, for “BOARD-1 came”` })
  await expect(matter).toContainText(`${CHANNEL}: 410 Gone`)
  await matter.getByRole('link', { name: 'Open the run' }).click()
  await expect(page.getByText('It did what it had to, but a notice of it failed.')).toBeVisible()
  const notice = page.getByRole('article', { name: 'Notice BOARD-1 came' })
  await expect(notice).toContainText('“410 Gone”')
  await expect(notice).toContainText(`The channel ${CHANNEL}`)
  await notice.getByRole('button', { name: 'Try again' }).click()
  await expect.poll(async () => (await notices())[0]?.state).toBe('sent')
  await page.reload()
  await expect(notice).toContainText('2 attempts')
  await page.goto('/')
  await expect(matter).toBeHidden()
})

test('what waits for a channel is told on Today, and called off among the notices', async ({ page }) => {
  answers = [503]
  await claim('BOARD-2')
  await expect.poll(async () => (await notices())[0]?.state).toBe('queued')
  await signIn(page)
  await page.goto('/')
  const matter = page.getByRole('article').filter({ hasText: `to the channel ${CHANNEL}` })
  await expect(matter).toContainText('It said “503 Service Unavailable”; tried 1 time')
  await matter.getByRole('link', { name: 'See them' }).click()
  const listed = page.getByRole('listitem').filter({ hasText: 'BOARD-2 came' })
  await listed.getByRole('button', { name: 'Call it off' }).click()
  await expect(page.getByText('Called off.')).toBeVisible()
  await expect(listed).toBeHidden() // it is asked for what is queued
  expect((await notices())[0]?.state).toBe('cancelled')
})

test('whom a notice is for sees it on every page, reads it, and others see that it was read; it is nobody else’s', async ({ page, playwright }) => {
  await claim('BOARD-3')
  await signIn(page, INES)
  const shown = page.getByRole('region', { name: 'Notices for you' })
  await page.goto('/workflows')
  await expect(page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: /^Today\s+\d+ not read$/ })).toBeVisible()
  await page.goto('/')
  const notice = shown.getByRole('article').filter({ hasText: 'BOARD-3 came' })
  await expect(notice).toContainText('Somebody should look at it.')
  await expect(shown).not.toContainText('BOARD-2 came') // which was called off
  await notice.getByRole('button', { name: 'Read' }).click()
  await expect(notice).toBeHidden()
  if (await shown.isVisible())
    await shown
      .getByRole('button', { name: /^(All read|Read)$/ })
      .first()
      .click()
  await expect(shown).toBeHidden()
  await expect(page.getByRole('link', { name: 'Today', exact: true })).toBeVisible()
  await page.goto('/notices?mine=true')
  await expect(page.getByRole('listitem').filter({ hasText: 'BOARD-3 came' })).toContainText('Ines Okafor (read)')

  const rafi = await sessionOf(playwright, RAFI)
  const [newest] = await notices()
  expect((await (await rafi.get('/api/v1/notices')).json()).notices.map((n: { title: string }) => n.title)).not.toContain('BOARD-3 came')
  expect((await rafi.get(`/api/v1/notices/${newest?.id}`)).status()).toBe(404)
  expect((await rafi.post(`/api/v1/notices/${newest?.id}/retry`)).status()).toBe(403)
  expect((await rafi.post('/api/v1/notices/read', { data: { ids: 'all' } })).status()).toBe(422)
  expect((await rafi.post('/api/v1/notices/read', { data: { ids: [newest?.id] } })).ok()).toBe(true)
  expect((await api('POST', `/api/v1/notices/${newest?.id}/retry`)).body).toMatchObject({ status: 409, detail: 'The notice is sent; only a failed one can be given again.' })
  expect((await api('POST', '/api/v1/notices/read')).status).toBe(422) // a token that acts as nobody
})
