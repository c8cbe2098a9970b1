import { must } from '@/core/must'
import type { Plan } from '@/core/workflow/plan'
import { type ShownPlan, shownPlan } from '@/core/workflow/shown'
import type { Queryable } from '@/store/database'
import { ContentsCache } from './delivery/contents'
import type { Evidence } from './evidence'
import { withImagesInPlace } from './mail-html'

/** Most messages of a plan whose images are put in their place: those that anybody looks at. */
const WITH_IMAGES = 5

const caches = new WeakMap<Queryable, ContentsCache>()

/** A plan with the images of its mail in their place, so that it can be shown as it will arrive. */
async function rendered(db: Queryable, plan: Plan): Promise<ShownPlan> {
  const inline = plan.messages
    .slice(0, WITH_IMAGES)
    .flatMap((m) => m.attachments)
    .filter((a) => a.cid)
  const cache = caches.get(db) ?? new ContentsCache(db)
  caches.set(db, cache)
  const contents = await cache.read(inline)
  const images = new Map(inline.map((a) => [must(a.cid), { type: a.type, content: must(contents.get(a.file)) }]))
  const shown = shownPlan(plan)
  return { ...shown, messages: shown.messages.map((m, i) => (i < WITH_IMAGES ? { ...m, html: withImagesInPlace(m.html, images) } : m)) }
}

/** Evidence as it is answered, in JSON already, so that whoever answers has only to hand it on. */
export async function evidenceAsJson(db: Queryable, evidence: Evidence): Promise<string> {
  const [plan, preview] = await Promise.all([evidence.plan, evidence.preview].map((p) => p && rendered(db, p)))
  return JSON.stringify({ ...evidence, plan, preview })
}
