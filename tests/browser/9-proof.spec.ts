import { expect, test } from '@playwright/test'
import { api } from './installation'
import { RAFI, sessionOf, signIn } from './people'

const margin = 'Evidence'

test.afterAll(async () => {
  await api('DELETE', '/api/v1/workflows/Proved')
})

const draft = {
  rappel: 'workflow/1',
  name: 'Proved',
  table: 'sailings',
  cue: { kind: 'record', on: ['changed'] },
  conditions: {
    all: [
      { field: 'status', op: 'is', value: 'Cancelled' },
      { field: 'booked', op: 'at least', value: 40 },
    ],
  },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'duty_officer' }], subject: '{{ sailing.number }} is cancelled', body: 'B' }],
}

test('a draft is rehearsed beside its brief: counts at the lines, mail by day and person, what each line stopped; an edit shows at once', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Proved', draft)
  const { body } = await api('POST', '/api/v1/rehearse', { workflow: draft, samples: 1 })
  const told = body as unknown as { cued: number; firings: number; messages: number; survivors: { path: string; count: number }[]; samples: { messages: { subject: string }[] }[] }
  expect(told.survivors.map((s) => s.path)).toEqual(['/cue', '/conditions/all/0', '/conditions/all/1', '/firings'])
  expect(told.firings).toBeGreaterThan(5)
  expect(told.samples[0]?.messages[0]?.subject).toMatch(/^SA-\d+ is cancelled$/)
  await signIn(page)
  await page.goto('/workflows/Proved')
  const rehearsal = page.getByRole('region', { name: 'Rehearsal' })
  await expect(rehearsal.getByText(`It would have fired ${told.firings} times`)).toBeVisible()
  await expect(rehearsal.getByRole('slider', { name: /^Mail by day/ })).toBeVisible()
  const brief = page.getByRole('list', { name: 'Brief of Proved' })
  const clause = brief.getByRole('listitem').filter({ has: page.getByRole('button', { name: /^line 2.2, condition/ }) })
  const met = told.survivors[2]?.count as number
  await expect(clause.getByText(met.toLocaleString('en-GB'), { exact: true })).toBeVisible()
  await brief.getByRole('button', { name: /^line 2.2, condition/ }).focus()
  const stopped = page.getByRole('region', { name: 'Stopped here' }).getByRole('button')
  await expect(stopped.first()).toBeVisible()
  expect(Number(await stopped.first().locator('span').last().textContent())).toBeLessThan(40)
  await stopped.first().click()
  await expect(page.getByRole('complementary', { name: margin }).getByText('It does not fire.')).toBeVisible()
  await brief.getByRole('button', { name: /^line 2.2, condition/ }).click()
  await page.getByRole('textbox', { name: 'Value', exact: true }).fill('100000')
  await expect(clause.getByText('0', { exact: true })).toBeVisible()
  await expect(page.getByRole('list', { name: /^Brief of/ }).getByText(/^None of the \d+ past changes/)).toBeVisible()
  await expect(rehearsal.getByText('It would have fired 0 times and sent nothing.')).toBeVisible()
})

test('against the live version, what a draft adds and drops is told and opened', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Proved', draft)
  await api('POST', '/api/v1/workflows/Proved/live')
  await api('PUT', '/api/v1/workflows/Proved', { ...draft, conditions: { all: [draft.conditions.all[0]] } })
  await signIn(page)
  await page.goto('/workflows/Proved')
  await page.getByText(/firings? that the live version does not have/).click()
  const rehearsal = page.getByRole('region', { name: 'Rehearsal' })
  await rehearsal.getByRole('button').filter({ hasText: 'SA-' }).first().click()
  await expect(page.getByRole('complementary', { name: margin }).getByText('It fires.')).toBeVisible()
})

test('from a record’s timeline one comes to why a change fired or did not, for every workflow of its table', async ({ page }) => {
  const { body } = await api('GET', '/api/v1/runs?workflow=Offer above 1,000&limit=1')
  const [run] = body.runs as unknown as { record: number; change: number; title: string }[]
  await signIn(page)
  await page.goto(`/records/claims/${run?.record}`)
  await page.locator(`a[href^="/changes/${run?.change}?"]`).first().click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText(`Why, for a change of ${run?.title}`)
  await expect(page.getByText(/^It set off Offer above 1,000/)).toBeVisible()
  const evidence = page.getByRole('complementary', { name: margin })
  await expect(evidence.getByText(/^held/).first()).toBeVisible()
  await page.getByRole('list', { name: 'Workflows and this change' }).getByRole('link', { name: 'Baggage claim added' }).click()
  await expect(evidence.getByText('The claim was changed; the cue waits for created.')).toBeVisible()
})

test('a dry run begins from a past change; what is typed in shows what would come of it, and nothing is sent', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Proved', draft)
  const before = (await api('GET', '/api/v1/messages?limit=1')).body.messages
  await signIn(page)
  await page.goto('/workflows/Proved')
  await expect(page.getByRole('region', { name: 'Rehearsal' }).getByText(/It would have fired/)).toBeVisible()
  await page.keyboard.press('j') // a key that leaves acts on a line that has the focus
  await page.keyboard.press('t')
  await expect(page).toHaveURL(/dry-run\?change=\d+/)
  const told = page.getByRole('region', { name: 'What it would do' })
  await expect(told.getByText('It fires.')).toBeVisible()
  await page.getByRole('textbox', { name: 'Booked' }).fill('3')
  await page.keyboard.press('Tab')
  await expect(told.getByText('It does not fire.')).toBeVisible()
  await expect(told.getByText('does not hold')).toBeVisible()
  await page.getByRole('textbox', { name: 'Booked' }).fill('99')
  await page.keyboard.press('Tab')
  await expect(told.getByText(/^SA-\d+ is cancelled$/)).toBeVisible()
  expect((await api('GET', '/api/v1/messages?limit=1')).body.messages).toEqual(before)
})

test('a member sees no runs or mail of others beside a record, and why only for their own workflows', async ({ playwright }) => {
  const { body } = await api('GET', '/api/v1/runs?workflow=Offer above 1,000&limit=1')
  const [run] = body.runs as unknown as { record: number; change: number }[]
  const rafi = await sessionOf(playwright, RAFI)
  expect(await (await rafi.get(`/records/claims/${run?.record}`)).text()).not.toContain('Offer above 1,000')
  const why = await rafi.get(`/changes/${run?.change}`)
  expect(why.status()).toBe(200)
  expect(await why.text()).not.toContain('Offer above 1,000')
})

test('every workflow that the demo has live would have fired, by its rehearsal, for the changes that it fired for, and written as often to the same people', async () => {
  const { body } = await api('GET', '/api/v1/workflows')
  const workflows = (
    body.workflows as unknown as { name: string; state: string; live: { name: string; cue: { kind: string; stays?: string }; limits?: { digest?: object } } | null }[]
  ).filter((w) => w.state === 'live' && w.live?.cue.kind === 'record' && !['Proved', 'Exemplary'].includes(w.name))
  expect(workflows.length).toBeGreaterThan(5)
  const day = 86_400_000
  const to = new Date(Date.now() - 2 * day)
  // an address that bounced for good is left out by now; it was not yet then
  const bounced = ((await api('GET', '/api/v1/messages?state=failed&limit=1000')).body.messages as unknown as { recipients: { address: string; state: string }[] }[]).flatMap((m) =>
    m.recipients.filter((r) => r.state === 'failed').map((r) => r.address),
  )
  let compared = 0
  for (const { name, live } of workflows) {
    // what is to stay so for days begins after the workflow went live, 14 days ago
    const waits = Number(/^P(\d+)D$/.exec(live?.cue.stays ?? '')?.[1] ?? 0)
    const from = new Date(Date.now() - (waits ? 13.5 - waits : 12) * day)
    const rehearsal = (await api('POST', '/api/v1/rehearse', { workflow: live, from: from.toISOString(), to: to.toISOString(), samples: 0 })).body as unknown as {
      firings: number
      byRecipient: { address: string; messages: number }[]
    }
    const inSpan = (at: string) => new Date(at) >= from && new Date(at) < to
    const runs = ((await api('GET', `/api/v1/runs?workflow=${encodeURIComponent(name)}&limit=1000`)).body.runs as unknown as { changed_at: string }[]).filter((r) =>
      inSpan(r.changed_at),
    )
    const mail = (
      (await api('GET', `/api/v1/messages?workflow=${encodeURIComponent(name)}&limit=1000`)).body.messages as unknown as {
        changed_at: string
        held_until: string | null
        recipients: { address: string }[]
      }[]
    ).filter((m) => inSpan(m.changed_at))
    const counts = new Map<string, number>()
    // what is gathered counts once for each recipient and digest
    const gathered = new Set<string>()
    const counting = mail.flatMap((m) =>
      m.recipients.filter(({ address }) => {
        const key = `${m.held_until} ${address.toLowerCase()}`
        return !live?.limits?.digest || (!gathered.has(key) && gathered.add(key))
      }),
    )
    for (const { address } of counting) counts.set(address.toLowerCase(), (counts.get(address.toLowerCase()) ?? 0) + 1)
    const sorted = (list: [string, number][]) => list.filter(([address]) => !bounced.includes(address)).sort((a, b) => a[0].localeCompare(b[0]))
    expect([name, rehearsal.firings, sorted(rehearsal.byRecipient.map((r) => [r.address, r.messages]))]).toEqual([name, runs.length, sorted([...counts])])
    compared += runs.length
  }
  expect(compared).toBeGreaterThan(20)
})
