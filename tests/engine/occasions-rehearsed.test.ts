import fc from 'fast-check'
import type { Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import type { RecordId } from '@/core/values/tables'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { many, one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { conditionOver } from '../support/conditions'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'
import { KEYS_TRIED, keyed } from '../support/keys'
import { machine } from '../support/machine'

/** Histories and workflows that are made up; many more by RAPPEL_HISTORIES (170 make ten thousand workflows). */
const HISTORIES = Number(process.env.RAPPEL_HISTORIES ?? 2)
const WORKFLOWS = 60
const WRITES = 40

const HOUR = 3_600_000

/** What came of a workflow: which record it ran for, when, to whom and with which words. */
interface Came {
  readonly record: RecordId | null
  readonly at: string
  readonly to: string
  readonly subject: string
}

const ordered = (list: readonly Came[]) => list.map((c) => JSON.stringify(c)).sort()

test.each(Array.from({ length: HISTORIES }, (_, i) => i))(
  'history %i: stays and timetables fire live where they do rehearsed, for the same records, at the same moments, with the same mail',
  async (seed) => {
    const db = await freshDatabase()
    try {
      const key = KEYS_TRIED[(seed * 2) % 3] ?? 'number'
      const people = await makeClaims(db.pool, key)
      let made = 0
      const start = new Date('2026-03-20T05:17:00Z') // summer time begins on the 29th
      const m = machine(db.pool, start)
      const conditions = fc.sample(conditionOver(false), { numRuns: WORKFLOWS, seed: 1_000 + seed })
      const durations = ['PT90M', 'PT7H', 'P1D', 'P2DT3H', 'P5D']
      const crons = ['0 7 * * *', '30 1 * * *', '15 */6 * * *', '0 9 * * 1-5', '45 12 25,31 * *']
      const workflows = conditions.map((condition, i): Workflow => {
        const per = (['record', 'record', 'owner', 'all'] as const)[i % 4] ?? 'record'
        const stays = i % 2 === 0
        const isOne = stays || per === 'record'
        return newClaimWorkflow({
          name: `G${i}`,
          cue: stays
            ? { kind: 'record', on: i % 3 ? ['created', 'changed'] : ['changed'], stays: durations[i % durations.length] ?? 'P1D' }
            : { kind: 'timetable', cron: crons[i % crons.length] ?? '', per, ...(i % 5 === 0 ? { order: '-amount' } : {}) },
          conditions: condition,
          ...(!stays && i % 3 === 0 ? { firing: 'every' } : {}),
          actions: [
            {
              name: 'tell',
              do: 'email',
              to: isOne ? [{ field: 'owner' }] : per === 'owner' ? [{ field: 'owner.email' }] : [{ address: 'all@x.example' }],
              subject: isOne
                ? '{{ claim.number }} {{ claim.status }} {{ claim.owner.team }}'
                : '{% for r in records %}{{ r.number }}.{{ r.amount }}.{{ r.owner.team }} {% endfor %}',
              body: 'B',
              format: 'plain',
            },
          ],
        })
      })
      const setting = await readReviewSetting(db.pool)
      const sound = workflows.filter((w) => review(w, setting).every((f) => f.level !== 'error'))
      for (const workflow of sound) await goLive(db, workflow, start)
      await m.settle()
      const writes = fc.sample(
        fc.record({
          after: fc.integer({ min: 7, max: 12 * 60 }),
          what: fc.integer({ min: 0, max: 9 }),
          record: fc.integer({ min: 1, max: 12 }),
          pick: fc.integer({ min: 0, max: 29 }),
        }),
        { numRuns: WRITES, seed: 2_000 + seed },
      )
      for (const { after, what, record, pick } of writes) {
        await m.passUntil(new Date(m.now().getTime() + after * 60_000 + 13_000)) // never at the moment of a tick
        await m.write(m.now(), (tx) => write(tx, people, what, keyed(key, what < 3 ? ++made : record), pick))
        await m.settle()
      }
      await m.passUntil(new Date(m.now().getTime() + 30 * HOUR))
      const surroundings = await readSurroundings(db.pool, BASE_URL)
      const span = { from: start, to: m.now() }
      let came = 0
      for (const workflow of sound) {
        const really = await many<Came>(
          db.pool,
          `select r.rec as record, to_char(r.changed_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS') as at,
                  (select string_agg(x.address, ',' order by x.position) from rappel.message_recipient x where x.message = m.id) as "to", m.subject
             from rappel.message m join rappel.run r on r.id = m.run join rappel.workflow w on w.id = r.workflow where w.name = $1`,
          [workflow.name],
        )
        came += really.length
        const { samples, failed } = await rehearse(db.pool, workflow, review(workflow, setting), surroundings, { span, samples: 100_000, live: null })
        const rehearsed = samples.flatMap(({ change, messages }) =>
          messages.map(
            (mail): Came => ({
              record: workflow.cue.kind === 'timetable' && workflow.cue.per !== 'record' ? null : change.record,
              at: change.at.toISOString().slice(0, 19),
              to: [...mail.to, ...mail.cc].map((r) => r.address).join(','),
              subject: mail.subject,
            }),
          ),
        )
        expect([workflow.cue, workflow.conditions, failed, ordered(rehearsed)]).toEqual([workflow.cue, workflow.conditions, [], ordered(really)])
      }
      expect(came).toBeGreaterThan(100)
      expect(await one(db.pool, `select count(*) as failed from rappel.run where state in ('failed', 'waiting')`)).toEqual({ failed: 0 })
    } finally {
      await db.drop()
    }
  },
  600_000,
)

/** One piece of work in the office. */
async function write(tx: { query: (text: string, params: unknown[]) => Promise<unknown> }, people: { ines: number; rafi: number }, what: number, record: RecordId, pick: number) {
  const owner = [people.ines, people.rafi, null][pick % 3]
  const status = ['New', 'In review', 'Settled'][pick % 3]
  if (what < 3) {
    const values = [
      record,
      ['a', 'ab', '50%', 'Ärger', ''][pick % 5],
      status,
      [null, -3, 0, 0.3, 2, 10][pick % 6],
      owner,
      [null, 'a', 'AB'][pick % 3],
      [null, '2026-03-22', '2026-03-31'][pick % 3],
    ]
    await tx.query('insert into data.claims (id, number, status, amount, owner, note, due) values ($1, $2, $3, $4, $5, $6, $7)', values)
  } else if (what < 5) await tx.query('update data.claims set status = $2 where id = $1', [record, status])
  else if (what < 6) await tx.query('update data.claims set amount = $2, note = $3 where id = $1', [record, [null, 1, 2, 3][pick % 4], [null, 'a', 'seen'][pick % 3]])
  else if (what < 7) await tx.query('update data.claims set owner = $2, due = $3 where id = $1', [record, owner, [null, '2026-03-25', '2026-04-02'][pick % 3]])
  else if (what < 8) await tx.query('update rappel.person set team = $2 where id = $1', [people.ines, ['Quays', 'a', 'AB'][pick % 3]])
  else if (what < 9) await tx.query('update data.claims set status = $1 where right(id::text, 1)::int % 3 = $2', [status, pick % 3])
  else await tx.query('delete from data.claims where id = $1', [record])
}
