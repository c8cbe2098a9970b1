import { expect, type Page, test } from '@playwright/test'
import { api, subjectsTo } from './installation'
import { RAFI, signIn } from './people'

const WORKFLOW = 'Sold berths'

const choose = async (page: Page, label: string, option: string | RegExp) => {
  await page.getByRole('combobox', { name: label, exact: true }).last().click()
  await page.getByRole('option', { name: option }).first().click()
}

test.afterAll(async () => {
  for (const name of [WORKFLOW, 'Berths by keeper above 2']) await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
  await api('DELETE', '/api/v1/figures/berths_by_keeper')
})

test('from a figure to a threshold on its picture, a workflow and its mail: the record that crosses it sends one, the next sends none', async ({ page }) => {
  const people = (await api('GET', '/api/v1/people')).body.people as unknown as { id: number; email: string }[]
  const rafi = people.find((p) => p.email === RAFI)?.id as number
  await api('PUT', '/api/v1/tables/berths', {
    label: 'Berths',
    singular: 'berth',
    titleField: 'name',
    ownerField: 'keeper',
    fields: [
      { name: 'name', label: 'Name', type: 'text' },
      { name: 'keeper', label: 'Keeper', type: 'person' },
      { name: 'state', label: 'State', type: 'choice', choices: ['Taken', 'Free'], default: 'Taken' },
    ],
  })
  for (const name of ['One', 'Two']) await api('POST', '/api/v1/records/berths', { name, keeper: rafi })

  await signIn(page)
  await page.goto('/figures')
  await page.getByRole('link', { name: 'Make a figure' }).click()
  await choose(page, 'Over the records of', 'Berths')
  await page.getByLabel('Name of the figure').fill('Berths by keeper')
  await page.getByRole('button', { name: 'Filter …' }).click()
  await choose(page, 'Field', 'state')
  await choose(page, 'Value', 'Taken')
  await page.getByRole('button', { name: 'Show', exact: true }).click()
  await choose(page, 'Grouped by', 'Keeper')
  const margin = page.getByRole('complementary', { name: 'Evidence' })
  await expect(margin.getByRole('heading', { name: 'Berths by keeper: Rafi Demir' })).toBeVisible()
  await page.getByRole('button', { name: 'Draw a threshold' }).click()
  const rule = margin.getByRole('slider', { name: 'Threshold limit' })
  await expect(rule).toHaveAttribute('aria-valuenow', '3')
  await rule.focus()
  await page.keyboard.press('ArrowDown')
  await expect(rule).toHaveAttribute('aria-valuenow', '2')
  await page.keyboard.press('ArrowDown')
  await expect(rule).toHaveAttribute('aria-valuenow', '1')
  await expect(page.getByText('1 alert in 90 days')).toBeVisible()
  await page.getByRole('textbox', { name: 'Threshold limit' }).fill('2')
  await expect(page.getByText('0 alerts in 90 days')).toBeVisible()
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page.getByText('Kept up as records change')).toBeVisible()
  expect(page.url()).toContain('/figures/berths_by_keeper')

  await page.getByRole('button', { name: 'Make a workflow' }).click()
  await expect(page.getByText('berths by keeper comes to be above 2').first()).toBeVisible()
  await expect(page.getByText('the berths behind it, at most 25, as behind')).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()

  const subjects = async () => (await subjectsTo(RAFI)).filter((s) => s.startsWith('Berths by keeper'))
  await api('POST', '/api/v1/records/berths', { name: 'Three', keeper: rafi })
  await expect.poll(subjects).toEqual(['Berths by keeper of Rafi Demir: 3, above 2'])
  await api('POST', '/api/v1/records/berths', { name: 'Four', keeper: rafi })
  await expect.poll(async () => ((await api('GET', '/api/v1/figures/berths_by_keeper')).body.groups as unknown as { value: number }[])[0]?.value).toBe(4)
  expect(await subjects()).toHaveLength(1)

  const history = (await api('GET', '/api/v1/figures/berths_by_keeper/history')).body as unknown as { points: { value: number }[]; crossings: object[] }
  expect(history.points.at(-1)?.value).toBe(4)
  expect(history.crossings).toMatchObject([{ threshold: 'limit', before: 2, value: 3, group: rafi, by: { kind: 'token' } }])
  const file = await page.request.get('/api/v1/figures/berths_by_keeper/history?as=csv')
  expect(file.headers()['content-type']).toContain('text/csv')
  expect((await file.text()).split('\r\n').slice(0, 1)).toEqual(['at,group,title,value'])
  await page.goto('/')
  await expect(page.getByRole('region', { name: 'Figures beyond their threshold' }).getByText('Berths by keeper')).toBeVisible()
  const { records } = (await api('GET', '/api/v1/records/berths?limit=1')).body as unknown as { records: { id: number }[] }
  await page.goto(`/records/berths/${records[0]?.id}`)
  await expect(page.getByText('Counts in: Berths by keeper (Rafi Demir: 4).')).toBeVisible()
  await page.goto('/figures')
  await expect(page.getByText('1 beyond its threshold').first()).toBeVisible()
  await page.goto('/figures/berths_by_keeper')
  await expect(page.getByRole('link', { name: 'Berths by keeper above 2' })).toBeVisible()
  expect((await api('DELETE', '/api/v1/figures/berths_by_keeper')).status).toBe(409)
  await page.goto('/runs')
  await page
    .getByRole('link', { name: /Berths by keeper: Rafi Demir, 2 to 3/ })
    .or(page.getByText('Berths by keeper: Rafi Demir, 2 to 3'))
    .first()
    .click()
})

test('what is wrong with a figure is said with its place, and what to do instead', async () => {
  const figure = { rappel: 'figure/1', table: 'claims', of: { count: true } }
  const problems = async (parts: object) => {
    const { status, body } = await api('PUT', '/api/v1/figures/faulty', { ...figure, ...parts })
    return [status, ...((body.problems ?? []) as unknown as { path: string; message: string }[]).map((p) => `${p.path} ${p.message}`)]
  }
  expect(await problems({ of: { sum: 'due' } })).toEqual([
    422,
    expect.stringMatching(/^\/of\/sum Due is a date field, and only numbers and money have a sum\. A date is no number\. Count the records/),
  ])
  expect(await problems({ of: { average: 'status' } })).toEqual([
    422,
    expect.stringMatching(/^\/of\/average Status is a choice field.*Count the records with such a status instead/),
  ])
  expect(await problems({ by: 'due' })).toEqual([422, expect.stringMatching(/^\/by .*by day, week, month or quarter/)])
  expect(await problems({ within: { field: 'status', window: 'this week' } })).toEqual([
    422,
    expect.stringMatching(/^\/within\/field Status is a choice field; a window needs a date/),
  ])
  expect(await problems({ within: { field: 'due', window: 'this week', shift: '1 year' } })).toEqual([422, expect.stringMatching(/^\/within\/shift .*P1Y/)])
  expect(await problems({ thresholds: [{ name: 't', when: 'above', value: 'many' }] })).toEqual([422, expect.stringMatching(/^\/thresholds\/0\/value .*a number, or \{ figure \}/)])
  expect(await problems({ where: { field: 'owner.manager.team', op: 'is', value: 'Claims' } })).toEqual([
    422,
    expect.stringMatching(/^\/where .*2 links away; a figure looks one link far/),
  ])
  expect(await problems({ by: 'id' })).toEqual([422, expect.stringMatching(/^\/by Each record would be a group of its own/)])
  expect(await problems({ thresholds: [{ name: 't', when: 'above', value: { figure: 'gone' } }] })).toEqual([
    422,
    expect.stringMatching(/^\/thresholds\/0\/value\/figure There is no figure "gone"/),
  ])
  const computed = async (formula: string) => {
    const { status, body } = await api('PUT', '/api/v1/figures/faulty', { rappel: 'figure/1', formula })
    return [status, ...((body.problems ?? []) as unknown as { path: string; message: string }[]).map((p) => `${p.path} ${p.message}`)]
  }
  expect(await computed('faulty + 1')).toEqual([422, expect.stringMatching(/^\/formula It would be worked out from itself: faulty → faulty/)])
  expect(await computed('1 +')).toEqual([422, expect.stringMatching(/^\/formula The formula does not parse/)])
  expect(await computed('gone * 2')).toEqual([422, expect.stringMatching(/^\/formula There is no figure "gone"/)])
  expect(await computed('1 + 1')).toEqual([422, expect.stringMatching(/^\/formula The formula names no figure/)])
  expect(await problems({ where: { field: 'created_at', op: 'within last', value: { days: 3 } } })).toEqual([422, expect.stringMatching(/^\/where/)])
  expect((await api('GET', '/api/v1/figures/faulty')).status).toBe(404)
  const drafted = (await api('POST', '/api/v1/figures/rehearse', { figure: { ...figure, name: 'draft', by: 'owner' }, days: 60 })).body as unknown as {
    alerts: object[]
    lines: object[]
  }
  expect(drafted.alerts.length).toBeGreaterThanOrEqual(50)
  expect(drafted.lines.length).toBeGreaterThan(2)
})

test('a percentage of two figures, a workflow run by hand for its groups, and a crossing that is tried', async ({ page }) => {
  const count = { rappel: 'figure/1', table: 'claims', of: { count: true }, by: 'owner' }
  await api('PUT', '/api/v1/figures/claims_all', count)
  await api('PUT', '/api/v1/figures/claims_new', { ...count, where: { field: 'status', op: 'is', value: 'New' } })
  await signIn(page)
  await page.goto('/figures/new?table=claims')
  await page.getByRole('button', { name: 'Work it out from other figures' }).click()
  await page.getByRole('textbox', { name: 'Formula' }).fill('claims_new / claims_all * 100')
  await page.getByRole('combobox', { name: 'Shown as' }).click()
  await page.getByRole('option', { name: 'a percentage: 85 is 85 %' }).click()
  await page.getByLabel('Name of the figure').fill('Share of new claims')
  await expect(page.getByText(/groups, worked out from the change log/)).toBeVisible()
  await page.getByRole('button', { name: 'Draw a threshold' }).click()
  await page.getByRole('textbox', { name: 'Threshold limit' }).fill('120')
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page.getByText('Kept up as records change')).toBeVisible()
  const { groups } = (await api('GET', '/api/v1/figures/share_of_new_claims')).body as unknown as { groups: { group: number | null; value: number }[] }
  const all = (await api('GET', '/api/v1/figures/claims_all')).body as unknown as { groups: { group: number | null; value: number }[] }
  const news = (await api('GET', '/api/v1/figures/claims_new')).body as unknown as { groups: { group: number | null; value: number }[] }
  for (const { group, value } of groups) {
    const of = (list: typeof groups) => list.find((g) => g.group === group)?.value ?? 0
    // exact decimals there, binary ones here: they part in the last digit
    expect(value, `group ${group}`).toBeCloseTo((of(news.groups) / of(all.groups)) * 100, 10)
  }
  expect((await api('DELETE', '/api/v1/figures/claims_all')).status).toBe(409)

  const workflow = {
    rappel: 'workflow/1',
    name: 'Tell the shares',
    table: 'claims',
    cue: { kind: 'by hand', per: 'group', over: { figure: 'share_of_new_claims' } },
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ address: 'shares@x.example' }],
        subject: '{{ figure.group | default: "nobody" }}: {{ figure.value }}',
        body: '{{ figure.count }}',
        format: 'plain',
      },
    ],
  }
  await api('PUT', '/api/v1/workflows/Tell%20the%20shares', workflow)
  expect((await api('POST', '/api/v1/workflows/Tell%20the%20shares/live', {})).status).toBe(200)
  await page.reload()
  await page.getByRole('button', { name: 'Tell the shares' }).click()
  await expect(page.getByText(`${groups.length} runs, ${groups.length} mails to 1 address.`)).toBeVisible()
  await page.getByRole('button', { name: /Run it/ }).click()
  const sent = async () => (await subjectsTo('shares@x.example')).length
  await expect.poll(sent).toBe(groups.length)

  const crossing = { ...workflow, name: 'Many are new', cue: { kind: 'figure', figure: 'share_of_new_claims', threshold: 'limit' } }
  const tried = await api('POST', '/api/v1/try', { workflow: crossing, occasion: { kind: 'crossing', group: groups[0]?.group, before: 100, value: 130.5 } })
  expect(tried.body).toMatchObject({ fires: true, messages: [{ subject: expect.stringContaining('130.5%') }] })
  const none = await api('POST', '/api/v1/try', { workflow: crossing, occasion: { kind: 'crossing', group: groups[0]?.group, before: 100, value: 119 } })
  expect([none.status, JSON.stringify(none.body)]).toEqual([422, expect.stringContaining('119 is not above 120')])
  await api('PUT', '/api/v1/workflows/Many%20are%20new', crossing)
  await page.goto('/workflows/Many%20are%20new/dry-run')
  await expect(page.getByText(/It fires/)).toBeVisible()
  await page.getByLabel('To', { exact: true }).fill('90')
  await expect(page.getByText('90 is not above 120, so nothing is crossed.')).toBeVisible()
  for (const name of ['Tell%20the%20shares', 'Many%20are%20new']) await api('DELETE', `/api/v1/workflows/${name}`)
  for (const name of ['share_of_new_claims', 'claims_new', 'claims_all']) await api('DELETE', `/api/v1/figures/${name}`)
})
