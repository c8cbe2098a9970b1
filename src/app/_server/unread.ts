import { cache } from 'react'
import { countUnread } from '@/store/notice-log'
import { pool } from './environment'

/** How many notices somebody has not read, counted once for all parts of a page. */
export const unreadOf = cache((person: number | null): Promise<number> => countUnread(pool(), person))
