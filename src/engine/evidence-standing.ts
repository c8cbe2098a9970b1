import type { Pool } from 'pg'
import { nextTick, readCron } from '@/core/cues/cron'
import { cueOf } from '@/core/cues/kinds'
import { type Occasion, pressOccasion, tickOccasion } from '@/core/cues/occasion'
import { sampleAnswers } from '@/core/cues/samples'
import type { ByHandCue, Workflow } from '@/core/document/document'
import { runnable } from '@/core/rehearsal/runnable'
import type { Finding } from '@/core/review/review'
import { type Image, idOf, type RecordId, titleOf } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { fittingOwners, newestRecords } from '@/store/fitting'
import { readRecord } from '@/store/records'
import type { Evidence, Sample } from './evidence'
import { groupsNow, narrowedGroups, overOf } from './figures/groups'
import { titlesOfGroups } from './figures/past'
import { fittingQuery } from './occasions/fits'
import { samplePlaceholders } from './placeholders'
import { standing } from './rehearsal/standing'
import { narrowedNow } from './rehearsal/ticks'
import { settle } from './settle'

const SHOWN = 8
const LOOKED_AT = 200

/** What records as they stand say about a draft that looks at them: a timetable, or what is run by hand. Nothing is sent or written. */
export async function gatherStanding(db: Pool, workflow: Workflow, findings: readonly Finding[], surroundings: Surroundings, sample: RecordId | null): Promise<Evidence> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  if ('per' in workflow.cue && workflow.cue.per === 'group') return gatherGroups(db, compiled, sample)
  const now = new Date()
  const query = fittingQuery(compiled, now)
  const [narrowed, fitting, all] = await Promise.all([
    narrowedNow(db, compiled, { from: now, to: now }),
    newestRecords(db, query, LOOKED_AT).catch(() => []),
    newestRecords(db, { ...query, where: undefined }, SHOWN),
  ])
  const fits = narrowed.survivors.at(-1)?.count ?? narrowed.changes
  const ids = new Set(fitting.map((image) => image.id))
  const quiet = all.filter((image) => !ids.has(image.id))
  const chosen = await chosenOf(db, compiled, [...fitting, ...quiet], sample)
  const occasion = await occasionOf(db, compiled, chosen, fitting, now)
  const [outcome] = occasion ? await settle(db, [{ compiled, occasion }], true, { setting: surroundings, dry: true }) : []
  const plan = outcome && 'plan' in outcome ? outcome.plan : null
  const emails = new Map([...surroundings.people].map(([email, id]) => [id, email]))
  const sampleOf = (image: Image, fires: boolean): Sample => ({
    id: idOf(image),
    record: idOf(image),
    title: titleOf(compiled.table, image),
    kind: 'changed',
    at: now,
    fires,
    owner: ownerOf(compiled, image, emails),
  })
  return {
    days: 0,
    changes: narrowed.changes,
    cued: narrowed.cued,
    alive: Object.fromEntries(narrowed.survivors.map((s) => [s.path, s.count])),
    firings: fits,
    heldBefore: { count: 0, example: null },
    samples: [...fitting.slice(0, SHOWN).map((image) => sampleOf(image, true)), ...quiet.slice(0, 4).map((image) => sampleOf(image, false))],
    sample: chosen ? idOf(chosen) : null,
    plan,
    preview: plan && !plan.fires && chosen ? await previewOf(db, compiled, chosen, now) : null,
    fault: outcome && 'fault' in outcome ? outcome.fault : null,
    placeholders:
      compiled.shape.table.none === undefined
        ? await samplePlaceholders(
            db,
            surroundings.schema,
            surroundings.organisation,
            compiled.table,
            (fitting.length ? fitting : all).map((image) => standing(image)),
            chosen && standing(chosen),
          )
        : [],
    standing: { fits, next: nextOf(compiled, surroundings, now) },
  }
}

/** The same of the groups of a figure; a sample is one of them, by its place. */
async function gatherGroups(db: Pool, compiled: CompiledWorkflow, sample: RecordId | null): Promise<Evidence> {
  const { surroundings, workflow } = compiled
  const now = new Date()
  const narrowed = await narrowedGroups(db, compiled, { from: now, to: now })
  const { all, fitting } = await groupsNow(db, compiled, now)
  const fits = new Set(fitting)
  const shown = [...fitting.slice(0, SHOWN), ...all.filter((row) => !fits.has(row)).slice(0, 4)]
  const known = overOf(compiled)
  const titles = known
    ? await titlesOfGroups(
        db,
        known.definition,
        surroundings,
        shown.map((row) => row.grp),
      )
    : new Map<string, string>()
  const place = sample === null ? 0 : Math.max(0, Number(sample) - 1)
  const chosen = shown[place]
  const common = { table: compiled.table.name, at: now }
  const asked = workflow.cue.kind === 'by hand' ? sampleAnswers(workflow.cue.ask ?? [], now) : {}
  const occasion = !chosen
    ? null
    : workflow.cue.kind === 'by hand'
      ? pressOccasion({ ...common, press: 'sample', per: 'group', by: { kind: 'person', person: null, name: 'Somebody' }, asked, standing: chosen.standing })
      : tickOccasion({ ...common, per: 'group', standing: chosen.standing, fitted: false })
  const [outcome] = occasion ? await settle(db, [{ compiled, occasion }], true, { setting: surroundings, dry: true }) : []
  return {
    days: 0,
    changes: narrowed.changes,
    cued: narrowed.cued,
    alive: Object.fromEntries(narrowed.survivors.map((s) => [s.path, s.count])),
    firings: fitting.length,
    heldBefore: { count: 0, example: null },
    samples: shown.map((row, i) => ({
      id: i + 1,
      record: row.grp,
      title: `${titles.get(row.grp) ? `${titles.get(row.grp)}: ` : ''}${row.standing.value ?? 'blank'}`,
      kind: 'changed',
      at: now,
      fires: fits.has(row),
      occasion: workflow.cue.kind === 'by hand' ? { kind: 'press', groups: [row.standing.group], asked } : { kind: 'tick', group: row.standing.group },
    })),
    sample: chosen ? place + 1 : null,
    plan: outcome && 'plan' in outcome ? outcome.plan : null,
    preview: null,
    fault: outcome && 'fault' in outcome ? outcome.fault : null,
    placeholders: [],
    standing: { fits: fitting.length, next: nextOf(compiled, surroundings, now) },
  }
}

/** The e-mail of a record's owner. */
const ownerOf = ({ table }: CompiledWorkflow, image: Image, emails: ReadonlyMap<number, string>) => emails.get(Number(image[table.ownerField ?? ''])) ?? null

const NEXT_SHOWN = 5

/** The next times of a timetable. */
function nextOf({ cue }: CompiledWorkflow, { organisation }: Surroundings, now: Date): Date[] {
  const read = cue.kind === 'timetable' ? readCron(cue.cron) : null
  if (!read || 'problem' in read) return []
  const next: Date[] = []
  for (let at = nextTick(read.cron, now, organisation.zone); at !== null && next.length < NEXT_SHOWN; at = nextTick(read.cron, at, organisation.zone)) next.push(at)
  return next
}

async function chosenOf(db: Queryable, { table }: CompiledWorkflow, shown: readonly Image[], sample: RecordId | null): Promise<Image | null> {
  if (sample === null) return shown[0] ?? null
  return shown.find((image) => String(image.id) === String(sample)) ?? (await readRecord(db, table, sample))
}

/** What is tried: the record by itself, its owner's records, or all that fit. */
async function occasionOf(db: Queryable, compiled: CompiledWorkflow, chosen: Image | null, fitting: readonly Image[], at: Date): Promise<Occasion | null> {
  const { table, workflow } = compiled
  if (workflow.cue.kind === 'by hand') return pressed(workflow.cue, compiled, chosen, fitting, at)
  const { per } = cueOf(workflow, 'timetable')
  if (per === 'record') return chosen && tickOccasion({ table: table.name, per, at, image: chosen, fitted: false })
  if (per !== 'owner') return tickOccasion({ table: table.name, per: 'all', at })
  const own = chosen?.[table.ownerField ?? '']
  const owner = own === null || own === undefined ? (await fittingOwners(db, fittingQuery(compiled, at), null, 1))[0] : Number(own)
  return owner === undefined ? null : tickOccasion({ table: table.name, per, at, owner })
}

function pressed(cue: ByHandCue, { table }: CompiledWorkflow, chosen: Image | null, fitting: readonly Image[], at: Date): Occasion | null {
  const common = { press: 'sample', table: table.name, at, by: { kind: 'person' as const, person: null, name: 'Somebody' }, asked: sampleAnswers(cue.ask ?? [], at) }
  if (cue.per === 'none') return pressOccasion({ ...common, per: 'none' })
  if (cue.per === 'all') return pressOccasion({ ...common, per: 'all', records: fitting.slice(0, 3).map(idOf) })
  return chosen && pressOccasion({ ...common, per: 'record', image: chosen })
}

/** What would come of it if nothing held it back; null where even that fails. */
async function previewOf(db: Queryable, { workflow, surroundings }: CompiledWorkflow, chosen: Image, at: Date) {
  const { conditions: _, ...unheld } = workflow
  const compiled = compileWorkflow(unheld, surroundings)
  const occasion = await occasionOf(db, compiled, chosen, [chosen], at)
  const [settled] = occasion ? await settle(db, [{ compiled, occasion }], false, { setting: surroundings, dry: true }) : []
  return settled && 'plan' in settled ? settled.plan : null
}
