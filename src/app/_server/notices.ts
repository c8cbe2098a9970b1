import { type NoticeRow, readNotice } from '@/store/notice-log'
import type { Actor } from './actor'
import { pool } from './environment'
import { Problem } from './problem'
import { wholeNumber } from './reading'

/** The notice that a path names, where whoever asks may see it. @throws Problem 404 where there is none for them */
export async function noticeAsked(given: string, actor: Actor, maySee: (id: number) => Promise<boolean> = async () => true): Promise<NoticeRow> {
  const id = wholeNumber(given, 'id')
  const notice = (await maySee(id)) ? await readNotice(pool(), id, actor.person) : null
  if (!notice) throw new Problem(404, 'Not found', `There is no notice ${id}.`)
  return notice
}

/** Does something with the notice that a path names, and answers it as it is then. @throws Problem 404 where there is none, 409 where it is in another state */
export async function doWithNotice(given: string, actor: Actor, deed: (id: number) => Promise<boolean>, only: string): Promise<NoticeRow> {
  const { id, state } = await noticeAsked(given, actor)
  if (!(await deed(id))) throw new Problem(409, 'Conflict', `The notice is ${state}; ${only}`)
  return noticeAsked(given, actor)
}
