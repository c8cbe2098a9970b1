import { transaction } from '@/store/database'
import { deleteWorkflow, listWorkflows, putLive, readWorkflowRow, saveDraft } from '@/store/workflows'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  db = await freshDatabase()
  await makeClaims(db.pool)
  for (const name of ['One', 'Two', 'Three']) await saveDraft(db.pool, name, newClaimWorkflow({ name }), null)
})
afterEach(() => db.drop())

const subjects = async () => (await listWorkflows(db.pool)).map((w) => `${w.name} ${JSON.stringify(w.draft.actions[0])}`)
const changed = (name: string, subject: string) => {
  const workflow = newClaimWorkflow({ name })
  return { ...workflow, actions: workflow.actions.map((action) => ({ ...action, subject })) }
}

test('what is listed is what each reading by itself finds, after whatever was saved, sent live, renamed or deleted', async () => {
  const asRead = async () => {
    for (const row of await listWorkflows(db.pool)) expect(row).toEqual(await readWorkflowRow(db.pool, row.name))
  }
  await asRead()
  await saveDraft(db.pool, 'Two', changed('Two', 'another'), null)
  await asRead()
  await putLive(db.pool, 'Two', null)
  await saveDraft(db.pool, 'Two', changed('Second', 'a third'), null)
  await asRead()
  expect((await listWorkflows(db.pool)).find((w) => w.name === 'Second')?.live?.actions[0]).toMatchObject({ subject: 'another' })
  await deleteWorkflow(db.pool, 'One')
  await asRead()
  expect((await listWorkflows(db.pool)).map((w) => w.name)).toEqual(['Second', 'Three'])
})

test('what was not changed is not read again, and nobody may change it for the others', async () => {
  const [first] = await listWorkflows(db.pool)
  await saveDraft(db.pool, 'Two', changed('Two', 'another'), null)
  const [again, , two] = await listWorkflows(db.pool)
  expect(again?.draft).toBe(first?.draft)
  expect(two?.draft.actions[0]).toMatchObject({ subject: 'another' })
  expect(() => Object.assign(again?.draft.cue as object, { kind: 'timetable' })).toThrow(TypeError)
})

test('what a transaction saved and took back is not kept', async () => {
  const before = await subjects()
  await expect(
    transaction(db.pool, async (tx) => {
      await saveDraft(tx, 'Two', changed('Two', 'never'), null)
      expect(JSON.stringify(await listWorkflows(tx))).toContain('never')
      throw new Error('taken back')
    }),
  ).rejects.toThrow('taken back')
  expect(await subjects()).toEqual(before)
})
