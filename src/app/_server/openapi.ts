import { DOCUMENT_LIMITS } from '@/core/document/bounds'
import { workflowSchema } from '@/core/document/schema'
import { FIGURE_SCHEMAS } from '@/core/document/schema-figure'
import { must } from '@/core/must'
import { tableSchema } from '@/core/values/read-table'
import { isOwnOnly, type Permission, rolesFor } from './access'
import { isConditional, mayBeKeyed } from './conditional'
import { MAX_JSON } from './route'
import { bodyOfCall } from './shapes/bodies'
import { type JsonSchema, jsonSchemaOf } from './shapes/described'

type ApiCall = Extract<Permission, `${string} /api/v1/${string}`>

/** What each call of the API does, in a sentence. */
const SUMMARIES = {
  'GET /api/v1/health':
    'How the installation stands: ok, ages of the oldest waiting change, message and run, signs of life, problems in sentences. 503 while the database is away.',
  'GET /api/v1/tables': 'The tables with their fields.',
  'GET /api/v1/tables/[name]': 'One table with its fields.',
  'PUT /api/v1/tables/[name]': 'Creates a table, adds fields and changes them.',
  'DELETE /api/v1/tables/[name]': 'Deletes a table with its records, templates and figures; its workflows are paused. 409 with the places that use it, unless `{ anyway: true }`.',
  'GET /api/v1/tables/attachable': 'The tables of other programs in the database: which can be attached, under which name, and why the others cannot.',
  'POST /api/v1/tables/[name]/attach': 'Attaches the table of another program (`schema`, `table`) under a name; 422 with the reason where it cannot be.',
  'POST /api/v1/tables/[name]/detach': 'Lets go of an attached table, which stays as it is; its workflows are paused. 409 with the places that use it, unless `{ anyway: true }`.',
  'GET /api/v1/tables/[name]/moves': 'How often each field of a table changed in its newest changes.',
  'GET /api/v1/tables/[name]/uses': 'Where a table and each of its fields is used.',
  'PUT /api/v1/tables/[name]/order': 'Puts the fields into the order of `fields`.',
  'POST /api/v1/tables/[name]/rename-field': 'Gives `field` the name `to` (and a `label`), and whatever speaks of it with it. 409 with the places, unless `{ anyway: true }`.',
  'POST /api/v1/tables/[name]/retype-field':
    'Gives a field another type: the field as in PUT; `renamed` says what choices are called from now on, `look` tells what would not convert, `anyway` blanks it.',
  'DELETE /api/v1/tables/[name]/fields/[field]': 'Removes a field; live workflows that speak of it are paused. 409 with the places, unless `{ anyway: true }`.',
  'POST /api/v1/tables/propose': 'Proposes a table for a file, from all of its rows; nothing is made.',
  'POST /api/v1/tables/propose/mail': 'What a `workflow` on a proposed `table` would send for one of the file’s rows (`row`: `columns`, `cells`, `ways`), answered as `/try` does.',
  'GET /api/v1/records/[table]':
    'Records, filtered (`where`, a condition as JSON), ordered by several fields (`order=status,-amount`) and paged; with `count`, `sums` and `group` what all of them come to; with `.csv`, `.xlsx` or `.jsonl` after the table’s name all of them as a file.',
  'POST /api/v1/records/[table]': 'Creates a record.',
  'PATCH /api/v1/records/[table]': 'Mass edit of `ids` or of what `where` finds, in one transaction; `quiet` (administrators) lets workflows pass it by.',
  'DELETE /api/v1/records/[table]': 'Deletes `ids` or what `where` finds, in one transaction.',
  'POST /api/v1/records/[table]/import':
    'Imports the body (CSV, XLSX or lines of JSON) in one transaction: `key` is the field by which rows change records, `deleteMissing` deletes the others, `partly` takes the good rows where some are refused, `quiet` (administrators) lets workflows pass it by; `columns` is a JSON object of heading to field.',
  'POST /api/v1/records/[table]/forecast':
    'What a mass edit (`set`), a mass deletion (`delete: true`) or a file, as an import takes it, would write and set off. Nothing is kept or sent.',
  'GET /api/v1/imports': 'The imports that have a name, of one `table` or all.',
  'GET /api/v1/imports/[name]': 'One of them.',
  'PUT /api/v1/imports/[name]':
    'Keeps how a file is imported: `table`, `key`, `columns` (heading to field, or null), `decimal`, `dates`, `deleteMissing`, `partly`, `quiet`. Files laid into `inbox/{name}/` of the home are imported so.',
  'POST /api/v1/imports/[name]': 'Runs it again, with the file as the body; answers as an import does.',
  'DELETE /api/v1/imports/[name]': 'Forgets it; what it wrote stays.',
  'GET /api/v1/bulk': 'Imports, mass edits and mass deletions, the newest first.',
  'GET /api/v1/bulk/[id]': 'One of them, with the runs and mails that it set off.',
  'GET /api/v1/records/[table]/[id]': 'One record.',
  'PATCH /api/v1/records/[table]/[id]': 'Changes a record.',
  'DELETE /api/v1/records/[table]/[id]': 'Deletes a record.',
  'GET /api/v1/views/[table]': 'One’s own views of a table, and everybody’s.',
  'PUT /api/v1/views/[table]/[name]': 'Keeps a view: `where`, `order`, `group`, `columns`, `widths`, `frozen`; `shared` for everybody.',
  'DELETE /api/v1/views/[table]/[name]': 'Takes a view away; with `shared=true` everybody’s.',
  'GET /api/v1/changes': 'The change log: net changes with whole images. A page may be shorter than its limit; only `next: null` says that there is no more.',
  'GET /api/v1/figures': 'The figures as they stand, each with the groups that have the highest values.',
  'POST /api/v1/figures/rehearse': 'What a draft of a figure went through, worked out from the change log, and how many alerts a threshold at each height would have given.',
  'GET /api/v1/figures/[name]': 'One figure as it stands, with its groups.',
  'PUT /api/v1/figures/[name]':
    'Makes a figure, or changes one; it is worked out over its table at once. 409 with the live workflows that could not do what they say any more, unless `anyway=true`.',
  'DELETE /api/v1/figures/[name]': 'Deletes a figure that no workflow waits for, with its crossings.',
  'GET /api/v1/figures/[name]/history':
    'The values of a figure over a span (`from`, `to`), of one group where `group` is given, and the crossings that there were; with `as=csv` or `as=jsonl` the values as a file.',
  'GET /api/v1/templates': 'The templates.',
  'GET /api/v1/templates/[name]': 'One template.',
  'PUT /api/v1/templates/[name]': 'Makes a template, or a new version of one.',
  'DELETE /api/v1/templates/[name]': 'Deletes a template that no workflow sends.',
  'POST /api/v1/templates/[name]/rename': 'Calls a template otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`.',
  'GET /api/v1/webhooks': 'The programs elsewhere that are told of changes: where, of which tables, how far, and what they answered last.',
  'GET /api/v1/webhooks/[name]': 'One of them.',
  'PUT /api/v1/webhooks/[name]':
    'Tells a program elsewhere of every change, as batches of CloudEvents signed with `secret` (`X-Rappel-Signature`), at least once, those of one record in order: `url`, `tables`, `after` (the change to go on after; from now on where it is left out).',
  'DELETE /api/v1/webhooks/[name]': 'Tells it no more.',
  'GET /api/v1/senders': 'Sender identities.',
  'GET /api/v1/senders/[name]': 'One sender identity.',
  'PUT /api/v1/senders/[name]': 'Makes or changes a sender identity.',
  'GET /api/v1/channels': 'Channels for notices.',
  'GET /api/v1/channels/[name]': 'One channel.',
  'PUT /api/v1/channels/[name]': 'Makes or changes a channel.',
  'DELETE /api/v1/senders/[name]': 'Removes a sender identity that nothing uses.',
  'DELETE /api/v1/channels/[name]': 'Removes a channel that nothing uses.',
  'POST /api/v1/senders/[name]/rename': 'Calls a sender identity otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`.',
  'POST /api/v1/channels/[name]/rename': 'Calls a channel otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`.',
  'POST /api/v1/files': 'Keeps a file for a file field; the content is the body.',
  'GET /api/v1/files/[id]': 'A file.',
  'GET /api/v1/library': 'Files that mail attaches or shows.',
  'PUT /api/v1/library/[name]': 'Keeps a file of the library; the content is the body.',
  'DELETE /api/v1/library/[name]': 'Removes a file of the library that nothing uses.',
  'GET /api/v1/settings': 'The organisation’s settings.',
  'PUT /api/v1/settings': 'Changes settings.',
  'GET /api/v1/suppressions': 'Addresses that bounced for good and are no longer written to.',
  'DELETE /api/v1/suppressions/[address]': 'Lets mail go to an address again.',
  'GET /api/v1/stops': 'Recipients outside who said stop, of which workflow and when.',
  'DELETE /api/v1/stops/[workflow]/[address]': 'Takes a stop back: mail of the workflow goes to the address again.',
  'GET /api/v1/tokens': 'API tokens, without their secrets.',
  'POST /api/v1/tokens': 'Makes a token, which is shown once.',
  'DELETE /api/v1/tokens/[id]': 'Revokes a token.',
  'GET /api/v1/audit':
    'The audit log: who changed people, roles, tokens, settings, workflows, templates and tables, and who signed in; searched (`text`, `what`, `from`, `to`) and paged.',
  'GET /api/v1/audit/export': 'The audit log as lines of JSON, searched as the list is.',
  'GET /api/v1/doctor': 'What is well and what is not: `findings`, each `{ ok, what, todo? }` in sentences.',
  'GET /api/v1/settings/openid': 'How sign-in by OpenID Connect is set, without its secret.',
  'PUT /api/v1/settings/openid': 'Sets sign-in by OpenID Connect, once the issuer has answered.',
  'DELETE /api/v1/settings/openid': 'Ends sign-in by OpenID Connect.',
  'GET /api/v1/settings/mail-server': 'Where mail goes: `by` the environment, a setting, or the post room. Secrets are not in it.',
  'PUT /api/v1/settings/mail-server':
    'Sets the mail server, or with `place` 2 or 3 one to fall back on: `host`, `port`, `security` (STARTTLS, TLS, none), `user`, `password`, `dkim` (`domain`, `selector`, `key` in PEM; made where none is given), `mostRecipients` of one transaction, `perMinute` messages. Secrets that are left out stay.',
  'DELETE /api/v1/settings/mail-server': 'Forgets the mail server, or that of a `place`; without any the post room takes the mail.',
  'POST /api/v1/settings/mail-server/try':
    'Sends one mail by the `server` that is given as in PUT, or by the one used now, to `to`; answers `{ accepted, reply, said }`, the server’s own words.',
  'POST /api/v1/settings/wake':
    'Lets an installation go on that waits, since it was restored, may be a copy, or was put back to an earlier state; `waiting`: what mail that waited then is to become, `send` or `call off`.',
  'GET /api/v1/settings/told': 'Who is told by mail when something is wrong (`people`), and the `channel` that is told.',
  'PUT /api/v1/settings/told': 'Has a `channel` told when something is wrong, the mail server that does not answer too, or none (null).',
  'GET /api/v1/settings/shards': 'How many shards changes are spread over, each handled by one worker at a time: `shards`, and which numbers there can be, `can`.',
  'PUT /api/v1/settings/shards': 'Spreads changes over another number of `shards` while everything goes on; 409 as long as the change before that is not over.',
  'POST /api/v1/settings/secrets/[name]': 'Replaces a secret that links are signed with: `why` or `account`. Links sent before lead nowhere.',
  'GET /api/v1/account': 'Who one is, and one’s sessions.',
  'GET /api/v1/account/mail': 'What came to one of each workflow of late, and what it would be as digests.',
  'PUT /api/v1/account/mail/[workflow]': 'Asks for a workflow’s mail to oneself as digests (`gathered`), or one by one again.',
  'PUT /api/v1/account/told': 'Asks to be told by mail when something is wrong (`told`), or no more.',
  'PUT /api/v1/account/password': 'Changes one’s own password; one’s other sessions end.',
  'DELETE /api/v1/account/sessions': 'Ends one’s other sessions.',
  'DELETE /api/v1/account/sessions/[id]': 'Ends one of one’s sessions.',
  'GET /api/v1/people': 'People.',
  'POST /api/v1/people':
    'Adds people from rows of a spreadsheet or a list of addresses (`text`), or changes those who are there by what the rows say; answers `people`, `problems` by row and `leftOut` headings. `look` does nothing.',
  'GET /api/v1/people/[email]': 'One person.',
  'POST /api/v1/people/[email]/invitation': 'Sends somebody an invitation by mail; those sent before count no more.',
  'PUT /api/v1/people/[email]': 'Adds or changes somebody.',
  'GET /api/v1/people/[email]/personal':
    'All that is kept of an address, here or outside: the person, records that hold it, wishes, what is set up with it, mail to it with its texts, mail to others and runs that speak of it. With `count=true` how many of the last three.',
  'DELETE /api/v1/people/[email]/personal':
    'Erases it; that there was a message, a run or a change stays. With `records=true` fields that hold the address are emptied as well, and mail to others no longer says it. `left` says what still has it.',
  'GET /api/v1/people/[email]/uses': 'What somebody’s leaving touches.',
  'POST /api/v1/people/[email]/deactivate': 'Ends somebody’s time here.',
  'POST /api/v1/people/[email]/rename':
    'Gives somebody another e-mail (`to`), and whatever names them with it; mail that waits goes to the new one. 409 with the places, unless `anyway`.',
  'POST /api/v1/people/[email]/offers': 'What a live `workflow` would have sent to an address in 30 days, and with each limit that lessens it, by rehearsal.',
  'GET /api/v1/groups': 'Groups.',
  'GET /api/v1/groups/[name]': 'One group.',
  'PUT /api/v1/groups/[name]': 'Makes or changes a group.',
  'DELETE /api/v1/groups/[name]': 'Deletes a group that no workflow names.',
  'POST /api/v1/groups/[name]/rename': 'Calls a group otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`.',
  'POST /api/v1/teams/[name]/rename': 'Calls a team otherwise (`to`) at everybody who is of it, and whatever names it with it. 409 with the places, unless `anyway`.',
  'GET /api/v1/workflows': 'The workflows.',
  'GET /api/v1/workflows/[name]': 'One workflow with its draft and live version.',
  'PUT /api/v1/workflows/[name]': 'Saves the draft, also where the review finds errors, and answers the review.',
  'DELETE /api/v1/workflows/[name]': 'Deletes a workflow with its versions and log.',
  'POST /api/v1/workflows/[name]/live': 'Sends the draft live; with `alreadyTrue` what fits now counts from now on. 409 with the review where it has errors.',
  'POST /api/v1/workflows/[name]/pause': 'Pauses a workflow. What its limits hold stays held.',
  'POST /api/v1/workflows/[name]/held': 'Sends or drops (`deed`) the mail that is held because the most of a day was reached.',
  'GET /api/v1/held': 'The mail that limits hold now: by workflow, why, and until when.',
  'POST /api/v1/workflows/[name]/run':
    'Runs a workflow by hand: `press` (a UUID made for each press), `records`, `asked`. 202 with the runs; the same press again answers the same runs. With `dryRun` what it would do.',
  'POST /api/v1/read': 'Words read into a workflow, with what was not understood.',
  'POST /api/v1/propose':
    'Conditions proposed from past changes of a `table` that are marked, by their ids: `yes`, those that should have told somebody, and `no`, those that should not; others of the last `days` tell how much each lets through. Answers `proposals`, the simplest first, with how many changes are `alive` at each line, `ask`, the change whose mark would tell most, `contradictions`, and what is to be `said`; with `within`, the name of a workflow, clauses to be `added` to it, and how many firings `goes`.',
  'GET /api/v1/words': 'What this installation calls its things.',
  'POST /api/v1/fits': 'How many records fit a draft’s conditions now.',
  'GET /api/v1/deeds': 'What one may run by hand, with the questions; for one `table`.',
  'GET /api/v1/stays': 'What waits to have stayed so, or did: by `workflow`, `table`, `record`; `open` only what still waits.',
  'DELETE /api/v1/stays': 'Calls waits off, by `ids`.',
  'POST /api/v1/workflows/[name]/resume': 'Resumes a workflow.',
  'GET /api/v1/workflows/[name]/catch-up': 'What running the changes that passed the workflow by would send; nothing is sent.',
  'POST /api/v1/workflows/[name]/catch-up': 'Runs the changes that passed the workflow by.',
  'GET /api/v1/workflows/[name]/export': 'A draft as JSON or YAML.',
  'POST /api/v1/workflows/import': 'Reads a workflow from JSON or YAML and keeps it as a draft.',
  'GET /api/v1/workflows/[name]/trial': 'One’s own trial.',
  'POST /api/v1/workflows/[name]/trial': 'Arms the draft for real; all its mail goes to whoever armed it.',
  'DELETE /api/v1/workflows/[name]/trial': 'Ends one’s own trial.',
  'POST /api/v1/try': 'Dry run of a workflow on a change that is typed in, or on another `occasion`: a tick, a press.',
  'POST /api/v1/examples': 'Runs the examples of a draft.',
  'POST /api/v1/evidence': 'What the newest changes make of a draft.',
  'POST /api/v1/why': 'Why a recorded change fired a workflow or did not.',
  'POST /api/v1/rehearse': 'What a draft would have done over a span.',
  'POST /api/v1/rehearse/line': 'What a line of the conditions stopped and let on.',
  'GET /api/v1/runs': 'Runs, filtered and paged. `state` failed and waiting mean their mail too.',
  'POST /api/v1/runs/retry': 'Tries failed runs again.',
  'POST /api/v1/runs/cancel': 'Calls waiting runs off.',
  'POST /api/v1/runs/[id]/retry': 'Tries one failed run again, or the mail and notices that failed of one which did what it had to.',
  'POST /api/v1/runs/[id]/cancel': 'Calls one waiting run off.',
  'GET /api/v1/runs/[id]': 'One run with its trace and mail.',
  'GET /api/v1/runs/export': 'Runs as CSV or lines of JSON.',
  'GET /api/v1/messages/mbox': 'Messages as a mailbox file (RFC 4155).',
  'POST /api/v1/messages/[id]/cancel': 'Calls a waiting message off.',
  'GET /api/v1/messages': 'Mail, searched and paged.',
  'GET /api/v1/messages/[id]': 'One message, or its source as `{id}.eml`.',
  'POST /api/v1/messages/[id]/retry': 'Sends a failed message again, to another address where `to` says so.',
  'GET /api/v1/notices': 'Notices, searched and paged: `state`, `channel`, `workflow`, `run`, those to whoever calls (`mine`), and what they have not read (`unread`).',
  'GET /api/v1/notices/unread': 'How many notices whoever calls has not read, up to a hundred.',
  'GET /api/v1/notices/[id]': 'One notice.',
  'POST /api/v1/notices/read': 'Notes that whoever calls has read notices that are for them: those of `ids`, or all. Answers how many they had not.',
  'POST /api/v1/notices/[id]/retry': 'Gives a channel a notice again that failed.',
  'POST /api/v1/notices/[id]/cancel': 'Calls a notice off that waits for its channel, or that limits hold.',
  'GET /api/v1/find': 'Workflows, records, templates, people, runs and mail by words.',
  'GET /api/v1/openapi.json': 'This description.',
} as const satisfies Record<ApiCall, string>

/** A call as OpenAPI describes it. */
export interface Operation {
  readonly operationId: string
  readonly summary: string
  readonly description?: string
  readonly security?: readonly []
  readonly parameters: readonly {
    readonly name: string
    readonly in: string
    readonly required: boolean
    readonly schema: JsonSchema
    readonly example?: string
    readonly description?: string
  }[]
  readonly requestBody?: { readonly content: { readonly 'application/json': { readonly schema: JsonSchema; readonly example?: unknown } } }
  readonly responses: object
}

const PROBLEM: JsonSchema = {
  type: 'object',
  description: 'A problem document (RFC 9457).',
  required: ['status', 'title', 'detail'],
  properties: {
    type: { type: 'string' },
    status: { type: 'integer' },
    title: { type: 'string' },
    detail: { type: 'string' },
    problems: {
      type: 'array',
      items: { type: 'object', properties: { code: { type: 'string' }, path: { type: 'string', description: 'JSON Pointer (RFC 6901).' }, message: { type: 'string' } } },
    },
  },
}

const { text, characters, formulas, clauses, actions, recipients, bringIn, values, examples, depth, entries, parts } = DOCUMENT_LIMITS

/** A schema whose lists have no more entries than bounds let in, which are checked before shapes are. */
function limited(schema: JsonSchema, most: Readonly<Record<string, number>>): JsonSchema {
  const properties = Object.entries(schema.properties ?? {}).map(([name, part]) => [name, name in most ? { ...part, maxItems: most[name] } : part])
  return { ...schema, properties: Object.fromEntries(properties) }
}

/** The documents that bodies hold, by the shapes that read them; docs/api.md says what their members mean. */
const documents = (): Readonly<Record<string, JsonSchema>> => ({
  Workflow: {
    ...limited(jsonSchemaOf(workflowSchema), { actions, bringIn, values, examples }),
    description: `At most ${characters} characters in all, ${parts} members and entries, ${text} characters of a text, ${formulas} of formulas, ${clauses} clauses and ${actions} actions wherever they stand, ${recipients} recipients an entry, ${bringIn} entries brought in, ${values} values, ${examples} examples and ${entries} entries of a list; conditions and actions at most ${depth} deep in one another. What is larger is refused with 422 before it is read deeper. Its name is that of the path where it has none.`,
  },
  Figure: { anyOf: FIGURE_SCHEMAS.map((schema) => jsonSchemaOf(schema)) },
  Table: jsonSchemaOf(tableSchema),
  Condition: { type: 'object', description: 'A clause `{ field, op, value?, to? }`, or `{ all }`, `{ any }`, `{ none }` of conditions.' },
})

/** The description of the API by OpenAPI 3.1, drawn from the table that says who may do what. */
export function openApi(server: string) {
  const paths: Record<string, Record<string, Operation>> = {}
  for (const [call, summary] of Object.entries(SUMMARIES) as [ApiCall, string][]) {
    const [method, path] = call.split(' ') as [string, string]
    const allowed = rolesFor(call)
    const names = [...path.matchAll(/\[(\w+)\]/g)].map((match) => must(match[1]))
    const at = path.replace('/api/v1', '').replaceAll(/\[(\w+)\]/g, '{$1}')
    const body = bodyOfCall(call)
    paths[at] = {
      ...paths[at],
      [method.toLowerCase()]: {
        operationId: idOf(method, path),
        summary,
        parameters: [
          ...names.map((name) => ({ name, in: 'path', required: true, schema: { type: 'string' }, ...(body?.at[name] === undefined ? {} : { example: body.at[name] }) })),
          ...headersOf(call),
        ],
        ...(allowed === 'anyone' ? { security: [] } : { description: `For ${allowed.join(', ')}.${isOwnOnly(call) ? ' A member gets only what is their own.' : ''}` }),
        ...(body ? { requestBody: { content: { 'application/json': { schema: jsonSchemaOf(body.schema), ...(body.example ? { example: body.example } : {}) } } } } : {}),
        responses: {
          '200': { description: 'Done.', content: { 'application/json': { schema: {} } } },
          default: { description: 'Refused.', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } },
        },
      },
    }
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Rappel', version: '1', description: `JSON bodies have at most ${MAX_JSON} bytes and are nested at most 100 deep.` },
    servers: [{ url: `${server}/api/v1` }],
    security: [{ token: [] }],
    paths,
    components: { securitySchemes: { token: { type: 'http', scheme: 'bearer' } }, schemas: { Problem: PROBLEM, ...documents() } },
  }
}

/** The name of a call in a client: its method and its path in words. */
const idOf = (method: string, path: string): string =>
  `${method.toLowerCase()} ${path.replace('/api/v1/', '').replaceAll(/[[\]]/g, '')}`.replaceAll(/[^a-zA-Z0-9]+(.)/g, (_, letter: string) => letter.toUpperCase())

/** The headers that a call goes by. */
function headersOf(call: ApiCall) {
  const header = (name: string, description: string) => ({ name, in: 'header', required: false, schema: { type: 'string' }, description })
  return [
    ...(isConditional(call) ? [header('If-Match', 'The entity tag of what was read: where it is another now, nothing is changed (412).')] : []),
    ...(call.startsWith('GET ') ? [header('If-None-Match', 'The entity tag of what the caller has: where it is the same, 304 without content.')] : []),
    ...(mayBeKeyed(call) ? [header('Idempotency-Key', 'The same call again under the same key is done once, and answered alike.')] : []),
  ]
}
