import type { Permission } from '../access'
import type { Body } from './body'
import { MAIL_BODIES } from './mail'
import { PEOPLE_BODIES } from './people'
import { RECORD_BODIES } from './records'
import { SETTINGS_BODIES } from './settings'
import { TABLE_BODIES } from './tables'
import { WORKFLOW_BODIES } from './workflows'

/** The JSON bodies that calls take: what handlers check, what the API's description says, and what can be sent to try it. */
export const BODIES = { ...TABLE_BODIES, ...RECORD_BODIES, ...WORKFLOW_BODIES, ...MAIL_BODIES, ...PEOPLE_BODIES, ...SETTINGS_BODIES } satisfies Partial<
  Record<Permission, Body<unknown>>
>

type Bodies = typeof BODIES

/** What a call's body is, once it was checked. */
export type BodyOf<P> = P extends keyof Bodies ? (Bodies[P] extends Body<infer T> ? T : never) : never

const BY_CALL = new Map<string, Body<unknown>>(Object.entries(BODIES))

/** The body of a call that takes one. */
export const bodyOfCall = (call: string): Body<unknown> | undefined => BY_CALL.get(call)
