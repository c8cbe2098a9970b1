import type { Json } from '@/core/json'
import type { Queryable } from '@/store/database'
import { listTicks } from '@/store/timetables'

const SHOWN = 20

/** The last moments of a workflow's timetable, newest first. */
export const ticksOf = (db: Queryable, workflow: string) => listTicks(db, workflow, SHOWN)
export type TicksAnswer = Json<Awaited<ReturnType<typeof ticksOf>>>
