import type { Json } from '@/core/json'
import { countPassedBy } from '@/store/catch-up'
import type { Queryable } from '@/store/database'
import { countHeld } from '@/store/limits/held'
import { countOutcome } from '@/store/today'
import type { WorkflowRow } from '@/store/workflows'

/** A workflow as the API tells it; `savedAt` is what an edit that must overwrite nothing gives back as If-Match. */
export function workflowAnswer({ name, state, version, draft, live, draft_saved_at, draft_saved_by }: WorkflowRow) {
  return { name, state, version, draft, live, savedAt: draft_saved_at.toISOString(), savedBy: draft_saved_by }
}
export type WorkflowAnswer = ReturnType<typeof workflowAnswer>

/** How a workflow stands: its state, what is live, what came of it so far, the changes that passed it by while it was paused and were not run after all, and the mail and notices that its limits hold. */
export async function standingAnswer(db: Queryable, { id, name, state, version, live }: WorkflowRow) {
  const [outcome, passed, held] = await Promise.all([countOutcome(db, id), countPassedBy(db), countHeld(db, id)])
  return { state, version, live, ...outcome, passedBy: passed.get(name) ?? 0, ...held }
}
export type StandingAnswer = Json<
  Pick<Awaited<ReturnType<typeof standingAnswer>>, 'state' | 'version' | 'firings' | 'messages' | 'notices' | 'passedBy' | 'held' | 'heldNotices'>
> &
  Pick<Awaited<ReturnType<typeof standingAnswer>>, 'live'>
