import type { Role } from '@/store/people'

const ALL: readonly Role[] = ['administrator', 'editor', 'member']
const EDITORS: readonly Role[] = ['administrator', 'editor']
const ADMINISTRATORS: readonly Role[] = ['administrator']

/** Everybody may, but a member sees and changes only what is their own: their workflows and what came of these, mail to themselves, files they may read about. */
const OWN = { own: ALL } as const

type Allowed = 'anyone' | readonly Role[] | { readonly own: readonly Role[] }

/**
 * Who may do what: every route and page with the roles that may use it. What is not here, nobody may;
 * `anyone` needs no sign-in. Members see records and mail to themselves, and keep workflows
 * of their own that write to them alone (of others' they see nothing); editors build workflows; administrators do all.
 */
export const ACCESS = {
  'GET /api/v1/health': 'anyone',
  'GET /metrics': ADMINISTRATORS,
  'GET /api/v1/doctor': ADMINISTRATORS,
  'GET /api/v1/openapi.json': 'anyone',
  'POST /api/session': 'anyone',
  'DELETE /api/session': 'anyone',
  'POST /api/first-administrator': 'anyone',
  'POST /api/session/proof': ALL,
  'POST /api/session/reset': 'anyone',
  'POST /api/session/link': 'anyone',
  'GET /api/session/openid': 'anyone',
  'GET /api/session/openid/back': 'anyone',
  'GET /api/stop/[key]': 'anyone',
  'GET /api/file/[key]': 'anyone',
  'POST /api/stop/[key]': 'anyone',

  'GET /api/v1/tables': ALL,
  'GET /api/v1/tables/[name]': ALL,
  'PUT /api/v1/tables/[name]': ADMINISTRATORS,
  'DELETE /api/v1/tables/[name]': ADMINISTRATORS,
  'GET /api/v1/tables/attachable': ADMINISTRATORS,
  'POST /api/v1/tables/[name]/attach': ADMINISTRATORS,
  'POST /api/v1/tables/[name]/detach': ADMINISTRATORS,
  'GET /api/v1/tables/[name]/moves': ALL,
  'GET /api/v1/tables/[name]/uses': ADMINISTRATORS,
  'PUT /api/v1/tables/[name]/order': ADMINISTRATORS,
  'POST /api/v1/tables/[name]/rename-field': ADMINISTRATORS,
  'POST /api/v1/tables/[name]/retype-field': ADMINISTRATORS,
  'DELETE /api/v1/tables/[name]/fields/[field]': ADMINISTRATORS,
  'POST /api/v1/tables/propose': ADMINISTRATORS,
  'POST /api/v1/tables/propose/mail': ADMINISTRATORS,
  'GET /api/v1/records/[table]': ALL,
  'POST /api/v1/records/[table]': ALL,
  'PATCH /api/v1/records/[table]': EDITORS,
  'DELETE /api/v1/records/[table]': EDITORS,
  'POST /api/v1/records/[table]/import': EDITORS,
  'POST /api/v1/records/[table]/forecast': EDITORS,
  'GET /api/v1/imports': EDITORS,
  'GET /api/v1/imports/[name]': EDITORS,
  'PUT /api/v1/imports/[name]': EDITORS,
  'POST /api/v1/imports/[name]': EDITORS,
  'DELETE /api/v1/imports/[name]': EDITORS,
  'GET /api/v1/bulk': EDITORS,
  'GET /api/v1/bulk/[id]': EDITORS,
  'GET /api/v1/records/[table]/[id]': ALL,
  'PATCH /api/v1/records/[table]/[id]': ALL,
  'DELETE /api/v1/records/[table]/[id]': EDITORS,
  'GET /api/v1/views/[table]': ALL,
  'PUT /api/v1/views/[table]/[name]': ALL,
  'DELETE /api/v1/views/[table]/[name]': ALL,
  'GET /api/v1/changes': ALL,
  'GET /api/v1/figures': ALL,
  'POST /api/v1/figures/rehearse': EDITORS,
  'GET /api/v1/figures/[name]': ALL,
  'PUT /api/v1/figures/[name]': EDITORS,
  'DELETE /api/v1/figures/[name]': EDITORS,
  'GET /api/v1/figures/[name]/history': ALL,
  'GET /api/v1/templates': EDITORS,
  'GET /api/v1/templates/[name]': EDITORS,
  'PUT /api/v1/templates/[name]': EDITORS,
  'DELETE /api/v1/templates/[name]': EDITORS,
  'POST /api/v1/templates/[name]/rename': EDITORS,
  'GET /api/v1/webhooks': ADMINISTRATORS,
  'GET /api/v1/webhooks/[name]': ADMINISTRATORS,
  'PUT /api/v1/webhooks/[name]': ADMINISTRATORS,
  'DELETE /api/v1/webhooks/[name]': ADMINISTRATORS,
  'GET /api/v1/senders': EDITORS,
  'GET /api/v1/senders/[name]': EDITORS,
  'PUT /api/v1/senders/[name]': ADMINISTRATORS,
  'GET /api/v1/channels': EDITORS,
  'GET /api/v1/channels/[name]': EDITORS,
  'PUT /api/v1/channels/[name]': ADMINISTRATORS,
  'DELETE /api/v1/senders/[name]': ADMINISTRATORS,
  'POST /api/v1/senders/[name]/rename': ADMINISTRATORS,
  'DELETE /api/v1/channels/[name]': ADMINISTRATORS,
  'POST /api/v1/channels/[name]/rename': ADMINISTRATORS,
  'POST /api/v1/files': ALL,
  'GET /api/v1/files/[id]': OWN,
  'GET /api/v1/library': EDITORS,
  'PUT /api/v1/library/[name]': EDITORS,
  'DELETE /api/v1/library/[name]': EDITORS,
  'GET /api/v1/settings': EDITORS,
  'PUT /api/v1/settings': ADMINISTRATORS,
  'GET /api/v1/suppressions': ADMINISTRATORS,
  'DELETE /api/v1/suppressions/[address]': ADMINISTRATORS,
  'GET /api/v1/stops': ADMINISTRATORS,
  'DELETE /api/v1/stops/[workflow]/[address]': ADMINISTRATORS,
  'GET /api/v1/tokens': ADMINISTRATORS,
  'POST /api/v1/tokens': ADMINISTRATORS,
  'DELETE /api/v1/tokens/[id]': ADMINISTRATORS,
  'GET /api/v1/audit': ADMINISTRATORS,
  'GET /api/v1/audit/export': ADMINISTRATORS,
  'GET /api/v1/settings/openid': ADMINISTRATORS,
  'PUT /api/v1/settings/openid': ADMINISTRATORS,
  'DELETE /api/v1/settings/openid': ADMINISTRATORS,
  'GET /api/v1/settings/mail-server': ADMINISTRATORS,
  'PUT /api/v1/settings/mail-server': ADMINISTRATORS,
  'DELETE /api/v1/settings/mail-server': ADMINISTRATORS,
  'POST /api/v1/settings/mail-server/try': ADMINISTRATORS,
  'POST /api/v1/settings/secrets/[name]': ADMINISTRATORS,
  'POST /api/v1/settings/wake': ADMINISTRATORS,
  'GET /api/v1/settings/told': ADMINISTRATORS,
  'PUT /api/v1/settings/told': ADMINISTRATORS,
  'GET /api/v1/settings/shards': ADMINISTRATORS,
  'PUT /api/v1/settings/shards': ADMINISTRATORS,
  'GET /api/v1/account': ALL,
  'GET /api/v1/account/mail': ALL,
  'PUT /api/v1/account/mail/[workflow]': ALL,
  'PUT /api/v1/account/told': EDITORS,
  'PUT /api/v1/account/password': ALL,
  'DELETE /api/v1/account/sessions': ALL,
  'DELETE /api/v1/account/sessions/[id]': ALL,
  'GET /api/v1/people': ALL,
  'POST /api/v1/people': ADMINISTRATORS,
  'GET /api/v1/people/[email]': ALL,
  'POST /api/v1/people/[email]/invitation': ADMINISTRATORS,
  'PUT /api/v1/people/[email]': ADMINISTRATORS,
  'GET /api/v1/people/[email]/uses': ADMINISTRATORS,
  'GET /api/v1/people/[email]/personal': ADMINISTRATORS,
  'DELETE /api/v1/people/[email]/personal': ADMINISTRATORS,
  'POST /api/v1/people/[email]/deactivate': ADMINISTRATORS,
  'POST /api/v1/people/[email]/rename': ADMINISTRATORS,
  'POST /api/v1/people/[email]/offers': EDITORS,
  'GET /api/v1/groups': ALL,
  'GET /api/v1/groups/[name]': ALL,
  'PUT /api/v1/groups/[name]': ADMINISTRATORS,
  'DELETE /api/v1/groups/[name]': ADMINISTRATORS,
  'POST /api/v1/groups/[name]/rename': ADMINISTRATORS,
  'POST /api/v1/teams/[name]/rename': ADMINISTRATORS,
  'GET /api/v1/workflows': OWN,
  'GET /api/v1/workflows/[name]': OWN,
  'PUT /api/v1/workflows/[name]': OWN,
  'DELETE /api/v1/workflows/[name]': OWN,
  'POST /api/v1/workflows/[name]/live': OWN,
  'POST /api/v1/workflows/[name]/pause': OWN,
  'POST /api/v1/workflows/[name]/held': EDITORS,
  'GET /api/v1/held': EDITORS,
  'POST /api/v1/workflows/[name]/run': ALL, // whom the workflow's cue names
  'POST /api/v1/fits': ALL,
  'POST /api/v1/read': ALL,
  'POST /api/v1/propose': EDITORS,
  'GET /api/v1/words': ALL,
  'GET /api/v1/deeds': ALL,
  'GET /api/v1/stays': OWN,
  'DELETE /api/v1/stays': OWN,
  'POST /api/v1/workflows/[name]/resume': OWN,
  'GET /api/v1/workflows/[name]/catch-up': OWN,
  'POST /api/v1/workflows/[name]/catch-up': OWN,
  'GET /api/v1/workflows/[name]/export': OWN,
  'POST /api/v1/workflows/import': OWN,
  'GET /api/v1/workflows/[name]/trial': OWN,
  'POST /api/v1/workflows/[name]/trial': OWN,
  'DELETE /api/v1/workflows/[name]/trial': OWN,
  'POST /api/v1/try': ALL,
  'POST /api/v1/examples': ALL,
  'POST /api/v1/evidence': ALL,
  'POST /api/v1/why': OWN,
  'POST /api/v1/rehearse': ALL,
  'POST /api/v1/rehearse/line': ALL,
  'GET /api/v1/runs': OWN,
  'POST /api/v1/runs/retry': OWN,
  'POST /api/v1/runs/cancel': OWN,
  'POST /api/v1/runs/[id]/retry': OWN,
  'POST /api/v1/runs/[id]/cancel': OWN,
  'GET /api/v1/runs/[id]': OWN,
  'GET /api/v1/runs/export': OWN,
  'GET /api/v1/messages/mbox': EDITORS,
  'POST /api/v1/messages/[id]/cancel': EDITORS,
  'GET /api/v1/messages': OWN,
  'GET /api/v1/messages/[id]': OWN,
  'POST /api/v1/messages/[id]/retry': EDITORS,
  'GET /api/v1/notices': OWN,
  'GET /api/v1/notices/unread': OWN,
  'GET /api/v1/notices/[id]': OWN,
  'POST /api/v1/notices/read': OWN,
  'POST /api/v1/notices/[id]/retry': EDITORS,
  'POST /api/v1/notices/[id]/cancel': EDITORS,
  'GET /api/v1/find': OWN,
  'GET /api/post-room/faults': EDITORS,
  'PUT /api/post-room/faults': ADMINISTRATORS,
  'GET /api/post-room/messages/[id]': OWN,

  'PAGE /sign-in': 'anyone',
  'PAGE /sign-in/forgotten': 'anyone',
  'PAGE /sign-in/[key]': 'anyone',
  'PAGE /why/[key]': 'anyone',
  'PAGE /stop/[key]': 'anyone',
  'PAGE /account': ALL,
  'PAGE /': ALL,
  'PAGE /workflows': OWN,
  'PAGE /workflows/new': ALL,
  'PAGE /workflows/[name]': OWN,
  'PAGE /workflows/[name]/waiting': OWN,
  'PAGE /workflows/[name]/dry-run': OWN,
  'PAGE /workflows/[name]/versions': OWN,
  'PAGE /records': ALL,
  'PAGE /records/[table]': ALL,
  'PAGE /records/new-table': ADMINISTRATORS,
  'PAGE /records/attach': ADMINISTRATORS,
  'PAGE /records/[table]/import': EDITORS,
  'PAGE /records/[table]/fields': ADMINISTRATORS,
  'PAGE /records/[table]/folders': ALL,
  'PAGE /bulk': EDITORS,
  'PAGE /bulk/[id]': EDITORS,
  'PAGE /records/[table]/[id]': ALL,
  'PAGE /changes/[id]': ALL,
  'PAGE /messages': EDITORS,
  'PAGE /notices': OWN,
  'PAGE /under-the-hood': EDITORS,
  'PAGE /runs': OWN,
  'PAGE /runs/[id]': OWN,
  'PAGE /post-room': OWN,
  'PAGE /post-room/channels/[name]': EDITORS,
  'PAGE /figures': ALL,
  'PAGE /figures/[name]': ALL,
  'PAGE /templates': EDITORS,
  'PAGE /templates/[name]': EDITORS,
  'PAGE /people': ADMINISTRATORS,
  'PAGE /people/mail': EDITORS,
  'PAGE /people/[email]': EDITORS,
  'PAGE /settings': ADMINISTRATORS,
  'PAGE /settings/audit': ADMINISTRATORS,
  'PAGE /settings/api': EDITORS,
} as const satisfies Record<string, Allowed>

export type Permission = keyof typeof ACCESS

/** The roles that may use a route or page; `anyone` where no sign-in is asked for. */
export function rolesFor(permission: Permission): 'anyone' | readonly Role[] {
  const allowed: Allowed = ACCESS[permission]
  return typeof allowed === 'object' && 'own' in allowed ? allowed.own : allowed
}

/** The roles that may open the page at a path; null where there is none such. */
export function rolesForPath(path: string): 'anyone' | readonly Role[] | null {
  const found = (Object.keys(ACCESS) as Permission[]).find((permission) => {
    const pattern = /^PAGE (.*)$/.exec(permission)?.[1]
    return pattern !== undefined && new RegExp(`^${pattern.replaceAll(/\[\w+\]/g, '[^/]+')}$`).test(path)
  })
  return found ? rolesFor(found) : null
}

/** Whether members get only what is their own from a route or page. */
export const isOwnOnly = (permission: Permission) => typeof ACCESS[permission] === 'object' && 'own' in ACCESS[permission]

/** Whether a role may use a route or page. */
export function mayUse(role: Role, permission: Permission): boolean {
  const allowed = rolesFor(permission)
  return allowed === 'anyone' || allowed.includes(role)
}

/** Whose things somebody gets from a route or page: a member's own where that is the rule, by their id; null for all. */
export function keeperFor(permission: Permission, { role, person }: { readonly role: Role; readonly person: number | null }): number | null {
  return role === 'member' && isOwnOnly(permission) ? (person ?? NOBODY) : null
}

/** An id that nobody has: a member's token that acts as nobody in particular owns nothing. */
const NOBODY = -1
