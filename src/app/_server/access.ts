import type { Role } from '@/store/people'

const ALL: readonly Role[] = ['administrator', 'editor', 'member']
const EDITORS: readonly Role[] = ['administrator', 'editor']
const ADMINISTRATORS: readonly Role[] = ['administrator']

/**
 * Who may do what: every route and page with the roles that may use it. What is not here, nobody may;
 * `anyone` needs no sign-in. Members see records and mail to themselves, and keep workflows
 * of their own that write to them alone (of others' they see nothing); editors build workflows; administrators do all.
 */
export const ACCESS = {
  'GET /api/v1/health': 'anyone',
  'POST /api/session': 'anyone',
  'DELETE /api/session': 'anyone',
  'POST /api/first-administrator': 'anyone',

  'GET /api/v1/tables': ALL,
  'PUT /api/v1/tables/[name]': ADMINISTRATORS,
  'GET /api/v1/records/[table]': ALL,
  'POST /api/v1/records/[table]': ALL,
  'PATCH /api/v1/records/[table]': EDITORS,
  'GET /api/v1/records/[table]/[id]': ALL,
  'PATCH /api/v1/records/[table]/[id]': ALL,
  'DELETE /api/v1/records/[table]/[id]': EDITORS,
  'GET /api/v1/changes': ALL,
  'GET /api/v1/templates': EDITORS,
  'PUT /api/v1/templates/[name]': EDITORS,
  'GET /api/v1/senders': EDITORS,
  'PUT /api/v1/senders/[name]': ADMINISTRATORS,
  'GET /api/v1/channels': EDITORS,
  'PUT /api/v1/channels/[name]': ADMINISTRATORS,
  'DELETE /api/v1/senders/[name]': ADMINISTRATORS,
  'DELETE /api/v1/channels/[name]': ADMINISTRATORS,
  'POST /api/v1/files': ALL,
  'GET /api/v1/files/[id]': ALL,
  'GET /api/v1/library': EDITORS,
  'PUT /api/v1/library/[name]': EDITORS,
  'DELETE /api/v1/library/[name]': EDITORS,
  'GET /api/v1/settings': EDITORS,
  'PUT /api/v1/settings': ADMINISTRATORS,
  'GET /api/v1/suppressions': ADMINISTRATORS,
  'DELETE /api/v1/suppressions/[address]': ADMINISTRATORS,
  'GET /api/v1/tokens': ADMINISTRATORS,
  'POST /api/v1/tokens': ADMINISTRATORS,
  'DELETE /api/v1/tokens/[id]': ADMINISTRATORS,
  'GET /api/v1/people': ALL,
  'PUT /api/v1/people/[email]': ADMINISTRATORS,
  'GET /api/v1/people/[email]/uses': ADMINISTRATORS,
  'POST /api/v1/people/[email]/deactivate': ADMINISTRATORS,
  'GET /api/v1/groups': ALL,
  'PUT /api/v1/groups/[name]': ADMINISTRATORS,
  'GET /api/v1/workflows': ALL,
  'GET /api/v1/workflows/[name]': ALL,
  'PUT /api/v1/workflows/[name]': ALL,
  'DELETE /api/v1/workflows/[name]': ALL,
  'POST /api/v1/workflows/[name]/live': ALL,
  'POST /api/v1/workflows/[name]/pause': ALL,
  'POST /api/v1/workflows/[name]/resume': ALL,
  'GET /api/v1/workflows/[name]/catch-up': ALL,
  'POST /api/v1/workflows/[name]/catch-up': ALL,
  'GET /api/v1/workflows/[name]/export': ALL,
  'POST /api/v1/workflows/import': ALL,
  'GET /api/v1/workflows/[name]/trial': ALL,
  'POST /api/v1/workflows/[name]/trial': ALL,
  'DELETE /api/v1/workflows/[name]/trial': ALL,
  'POST /api/v1/try': ALL,
  'POST /api/v1/examples': ALL,
  'POST /api/v1/evidence': ALL,
  'POST /api/v1/why': ALL,
  'POST /api/v1/rehearse': ALL,
  'POST /api/v1/rehearse/line': ALL,
  'GET /api/v1/runs': ALL,
  'POST /api/v1/runs/retry': ALL,
  'POST /api/v1/runs/cancel': ALL,
  'POST /api/v1/runs/[id]/retry': ALL,
  'POST /api/v1/runs/[id]/cancel': ALL,
  'GET /api/v1/runs/[id]': ALL,
  'GET /api/v1/runs/export': ALL,
  'GET /api/v1/messages/mbox': EDITORS,
  'POST /api/v1/messages/[id]/cancel': EDITORS,
  'GET /api/v1/messages': ALL,
  'GET /api/v1/messages/[id]': ALL,
  'POST /api/v1/messages/[id]/retry': EDITORS,
  'GET /api/v1/find': ALL,
  'GET /api/post-room/faults': EDITORS,
  'PUT /api/post-room/faults': ADMINISTRATORS,
  'GET /api/post-room/messages/[id]': ALL,

  'PAGE /sign-in': 'anyone',
  'PAGE /why/[key]': 'anyone',
  'PAGE /': ALL,
  'PAGE /workflows': ALL,
  'PAGE /workflows/new': ALL,
  'PAGE /workflows/[name]': ALL,
  'PAGE /workflows/[name]/dry-run': ALL,
  'PAGE /workflows/[name]/versions': ALL,
  'PAGE /records': ALL,
  'PAGE /records/[table]': ALL,
  'PAGE /records/[table]/[id]': ALL,
  'PAGE /changes/[id]': ALL,
  'PAGE /messages': EDITORS,
  'PAGE /runs': ALL,
  'PAGE /runs/[id]': ALL,
  'PAGE /post-room': ALL,
  'PAGE /post-room/channels/[name]': EDITORS,
  'PAGE /templates': EDITORS,
  'PAGE /templates/[name]': EDITORS,
  'PAGE /people': ADMINISTRATORS,
  'PAGE /settings': ADMINISTRATORS,
} as const satisfies Record<string, 'anyone' | readonly Role[]>

export type Permission = keyof typeof ACCESS

/** Whether a role may use a route or page. */
export function mayUse(role: Role, permission: Permission): boolean {
  const allowed: 'anyone' | readonly Role[] = ACCESS[permission]
  return allowed === 'anyone' || allowed.includes(role)
}
