/* Made from the API's description by `npm run client`: not to be changed by hand. */

export type Problem = {
  readonly type?: string
  readonly status: number
  readonly title: string
  readonly detail: string
  readonly problems?: readonly { readonly code?: string; readonly path?: string; readonly message?: string; readonly [more: string]: unknown }[]
  readonly [more: string]: unknown
}

export type Workflow = {
  readonly rappel: 'workflow/1'
  readonly name: string
  readonly note?: string
  readonly table: string
  readonly cue?: unknown
  readonly conditions?: unknown
  readonly firing?: 'entering' | 'every'
  readonly bringIn?: readonly {
    readonly name: string
    readonly link?: string
    readonly list?: string
    readonly of?: string
    readonly where?: unknown
    readonly order?: string
    readonly limit?: number
    readonly muted?: boolean
  }[]
  readonly values?: readonly { readonly name: string; readonly formula?: string; readonly text?: string }[]
  readonly actions: readonly unknown[]
  readonly refire?: boolean
  readonly examples?: readonly {
    readonly name: string
    readonly change?: { readonly kind: 'created' | 'changed' | 'deleted'; readonly before?: unknown; readonly after?: unknown; readonly by?: string; readonly at?: string }
    readonly occasion?: {
      readonly kind: 'tick' | 'press' | 'crossing'
      readonly at?: string
      readonly record?: unknown
      readonly owner?: string
      readonly records?: readonly unknown[]
      readonly group?: unknown
      readonly groups?: readonly unknown[]
      readonly value?: number
      readonly before?: number | null
      readonly asked?: unknown
      readonly by?: string
    }
    readonly asOf?: string
    readonly saw?: { readonly groups?: unknown; readonly suppressed?: readonly string[] }
    readonly expect: {
      readonly fires: boolean
      readonly to?: readonly string[]
      readonly subject?: string
      readonly bodyHas?: readonly string[]
      readonly set?: unknown
      readonly created?: readonly string[]
      readonly notes?: readonly string[]
    }
  }[]
  readonly limits?: {
    readonly spacing?: { readonly per: 'record' | 'recipient' | 'group' | 'workflow'; readonly every: string }
    readonly quietHours?: unknown
    readonly digest?: unknown
    readonly perDay?: number
    readonly mayGather?: boolean
    readonly mayStop?: boolean
  }
}

export type Figure =
  | {
      readonly rappel: 'figure/1'
      readonly name: string
      readonly label?: string
      readonly note?: string
      readonly thresholds?: readonly { readonly name: string; readonly when: 'above' | 'at least' | 'below' | 'at most'; readonly value: unknown; readonly rearm?: number }[]
      readonly table: string
      readonly of: unknown
      readonly where?: unknown
      readonly by?: unknown
      readonly within?: { readonly field: string; readonly window: unknown; readonly shift?: string }
    }
  | {
      readonly rappel: 'figure/1'
      readonly name: string
      readonly label?: string
      readonly note?: string
      readonly thresholds?: readonly { readonly name: string; readonly when: 'above' | 'at least' | 'below' | 'at most'; readonly value: unknown; readonly rearm?: number }[]
      readonly formula: string
      readonly unit?: 'number' | 'money' | 'percent'
    }

export type Table = {
  readonly name?: string
  readonly label: string
  readonly singular: string
  readonly titleField: string
  readonly ownerField?: string | null
  readonly key?: 'number' | 'uuid' | 'text'
  readonly archived?: boolean
  readonly attached?: unknown
  readonly fields: readonly {
    readonly name: string
    readonly label: string
    readonly type: 'text' | 'long text' | 'number' | 'money' | 'yes/no' | 'choice' | 'date' | 'date-time' | 'email' | 'phone' | 'person' | 'link' | 'file' | 'folder'
    readonly choices?: readonly string[]
    readonly table?: string
    readonly required?: boolean
    readonly default?: unknown
    readonly number?: string
    readonly key?: 'number' | 'uuid' | 'text'
    readonly housekeeping?: boolean
    readonly readOnly?: boolean
    readonly unique?: boolean
    readonly marks?: unknown
  }[]
}

export type Condition = Readonly<Record<string, unknown>>

/** Every call of the API: what stands in its path, and its body. */
export interface Calls {
  /** How the installation stands: ok, ages of the oldest waiting change, message and run, signs of life, problems in sentences. 503 while the database is away. */
  readonly 'GET /health': { readonly path: undefined; readonly body: undefined }
  /** The tables with their fields. */
  readonly 'GET /tables': { readonly path: undefined; readonly body: undefined }
  /** One table with its fields. */
  readonly 'GET /tables/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Creates a table, adds fields and changes them. */
  readonly 'PUT /tables/{name}': { readonly path: { readonly name: string | number }; readonly body: Table }
  /** Deletes a table with its records, templates and figures; its workflows are paused. 409 with the places that use it, unless `{ anyway: true }`. */
  readonly 'DELETE /tables/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** The tables of other programs in the database: which can be attached, under which name, and why the others cannot. */
  readonly 'GET /tables/attachable': { readonly path: undefined; readonly body: undefined }
  /** Attaches the table of another program (`schema`, `table`) under a name; 422 with the reason where it cannot be. */
  readonly 'POST /tables/{name}/attach': { readonly path: { readonly name: string | number }; readonly body: { readonly schema: string; readonly table: string } }
  /** Lets go of an attached table, which stays as it is; its workflows are paused. 409 with the places that use it, unless `{ anyway: true }`. */
  readonly 'POST /tables/{name}/detach': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** How often each field of a table changed in its newest changes. */
  readonly 'GET /tables/{name}/moves': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Where a table and each of its fields is used. */
  readonly 'GET /tables/{name}/uses': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Puts the fields into the order of `fields`. */
  readonly 'PUT /tables/{name}/order': { readonly path: { readonly name: string | number }; readonly body: { readonly fields: readonly string[] } }
  /** Gives `field` the name `to` (and a `label`), and whatever speaks of it with it. 409 with the places, unless `{ anyway: true }`. */
  readonly 'POST /tables/{name}/rename-field': {
    readonly path: { readonly name: string | number }
    readonly body: { readonly field: string; readonly to: string; readonly label?: string; readonly anyway?: boolean }
  }
  /** Gives a field another type: the field as in PUT; `renamed` says what choices are called from now on, `look` tells what would not convert, `anyway` blanks it. */
  readonly 'POST /tables/{name}/retype-field': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Removes a field; live workflows that speak of it are paused. 409 with the places, unless `{ anyway: true }`. */
  readonly 'DELETE /tables/{name}/fields/{field}': { readonly path: { readonly name: string | number; readonly field: string | number }; readonly body: undefined }
  /** Proposes a table for a file, from all of its rows; nothing is made. */
  readonly 'POST /tables/propose': { readonly path: undefined; readonly body: undefined }
  /** What a `workflow` on a proposed `table` would send for one of the file’s rows (`row`: `columns`, `cells`, `ways`), answered as `/try` does. */
  readonly 'POST /tables/propose/mail': {
    readonly path: undefined
    readonly body: {
      readonly table: Table
      readonly workflow: Workflow
      readonly before?: unknown
      readonly row: {
        readonly columns: readonly (string | null)[]
        readonly cells: readonly string[]
        readonly ways: { readonly decimal: '.' | ','; readonly dates: 'ymd' | 'dmy' | 'mdy' }
      }
      readonly [more: string]: unknown
    }
  }
  /** Records, filtered (`where`, a condition as JSON), ordered by several fields (`order=status,-amount`) and paged; with `count`, `sums` and `group` what all of them come to; with `.csv`, `.xlsx` or `.jsonl` after the table’s name all of them as a file. */
  readonly 'GET /records/{table}': { readonly path: { readonly table: string | number }; readonly body: undefined }
  /** Creates a record. */
  readonly 'POST /records/{table}': { readonly path: { readonly table: string | number }; readonly body: Readonly<Record<string, unknown>> }
  /** Mass edit of `ids` or of what `where` finds, in one transaction; `quiet` (administrators) lets workflows pass it by. */
  readonly 'PATCH /records/{table}': {
    readonly path: { readonly table: string | number }
    readonly body: {
      readonly ids?: readonly unknown[]
      readonly where?: Condition
      readonly quiet?: boolean
      readonly set?: Readonly<Record<string, unknown>>
      readonly [more: string]: unknown
    }
  }
  /** Deletes `ids` or what `where` finds, in one transaction. */
  readonly 'DELETE /records/{table}': {
    readonly path: { readonly table: string | number }
    readonly body: { readonly ids?: readonly unknown[]; readonly where?: Condition; readonly quiet?: boolean; readonly [more: string]: unknown }
  }
  /** Imports the body (CSV, XLSX or lines of JSON) in one transaction: `key` is the field by which rows change records, `deleteMissing` deletes the others, `partly` takes the good rows where some are refused, `quiet` (administrators) lets workflows pass it by; `columns` is a JSON object of heading to field. */
  readonly 'POST /records/{table}/import': { readonly path: { readonly table: string | number }; readonly body: undefined }
  /** What a mass edit (`set`), a mass deletion (`delete: true`) or a file, as an import takes it, would write and set off. Nothing is kept or sent. */
  readonly 'POST /records/{table}/forecast': { readonly path: { readonly table: string | number }; readonly body: undefined }
  /** The imports that have a name, of one `table` or all. */
  readonly 'GET /imports': { readonly path: undefined; readonly body: undefined }
  /** One of them. */
  readonly 'GET /imports/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Keeps how a file is imported: `table`, `key`, `columns` (heading to field, or null), `decimal`, `dates`, `deleteMissing`, `partly`, `quiet`. Files laid into `inbox/{name}/` of the home are imported so. */
  readonly 'PUT /imports/{name}': {
    readonly path: { readonly name: string | number }
    readonly body: {
      readonly table: string
      readonly key?: string | null
      readonly columns?: Readonly<Record<string, unknown>>
      readonly decimal?: string
      readonly dates?: string
      readonly deleteMissing?: boolean
      readonly partly?: boolean
      readonly quiet?: boolean
    }
  }
  /** Runs it again, with the file as the body; answers as an import does. */
  readonly 'POST /imports/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Forgets it; what it wrote stays. */
  readonly 'DELETE /imports/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Imports, mass edits and mass deletions, the newest first. */
  readonly 'GET /bulk': { readonly path: undefined; readonly body: undefined }
  /** One of them, with the runs and mails that it set off. */
  readonly 'GET /bulk/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** One record. */
  readonly 'GET /records/{table}/{id}': { readonly path: { readonly table: string | number; readonly id: string | number }; readonly body: undefined }
  /** Changes a record. */
  readonly 'PATCH /records/{table}/{id}': { readonly path: { readonly table: string | number; readonly id: string | number }; readonly body: Readonly<Record<string, unknown>> }
  /** Deletes a record. */
  readonly 'DELETE /records/{table}/{id}': { readonly path: { readonly table: string | number; readonly id: string | number }; readonly body: undefined }
  /** One’s own views of a table, and everybody’s. */
  readonly 'GET /views/{table}': { readonly path: { readonly table: string | number }; readonly body: undefined }
  /** Keeps a view: `where`, `order`, `group`, `columns`, `widths`, `frozen`; `shared` for everybody. */
  readonly 'PUT /views/{table}/{name}': {
    readonly path: { readonly table: string | number; readonly name: string | number }
    readonly body: {
      readonly where?: Condition | null
      readonly order?: string
      readonly group?: string
      readonly columns?: readonly string[]
      readonly widths?: unknown
      readonly frozen?: number
      readonly shared?: boolean
    }
  }
  /** Takes a view away; with `shared=true` everybody’s. */
  readonly 'DELETE /views/{table}/{name}': { readonly path: { readonly table: string | number; readonly name: string | number }; readonly body: undefined }
  /** The change log: net changes with whole images. A page may be shorter than its limit; only `next: null` says that there is no more. */
  readonly 'GET /changes': { readonly path: undefined; readonly body: undefined }
  /** The figures as they stand, each with the groups that have the highest values. */
  readonly 'GET /figures': { readonly path: undefined; readonly body: undefined }
  /** What a draft of a figure went through, worked out from the change log, and how many alerts a threshold at each height would have given. */
  readonly 'POST /figures/rehearse': { readonly path: undefined; readonly body: { readonly figure: Figure; readonly days?: number } }
  /** One figure as it stands, with its groups. */
  readonly 'GET /figures/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Makes a figure, or changes one; it is worked out over its table at once. 409 with the live workflows that could not do what they say any more, unless `anyway=true`. */
  readonly 'PUT /figures/{name}': { readonly path: { readonly name: string | number }; readonly body: Figure }
  /** Deletes a figure that no workflow waits for, with its crossings. */
  readonly 'DELETE /figures/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** The values of a figure over a span (`from`, `to`), of one group where `group` is given, and the crossings that there were; with `as=csv` or `as=jsonl` the values as a file. */
  readonly 'GET /figures/{name}/history': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** The templates. */
  readonly 'GET /templates': { readonly path: undefined; readonly body: undefined }
  /** One template. */
  readonly 'GET /templates/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Makes a template, or a new version of one. */
  readonly 'PUT /templates/{name}': {
    readonly path: { readonly name: string | number }
    readonly body: {
      readonly name?: string
      readonly table: string
      readonly subject: string
      readonly body: string
      readonly format?: 'rich' | 'plain'
      readonly priority?: 'low' | 'normal' | 'high'
      readonly attachments?: unknown
    }
  }
  /** Deletes a template that no workflow sends. */
  readonly 'DELETE /templates/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Calls a template otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`. */
  readonly 'POST /templates/{name}/rename': { readonly path: { readonly name: string | number }; readonly body: { readonly to: string; readonly anyway?: boolean } }
  /** The programs elsewhere that are told of changes: where, of which tables, how far, and what they answered last. */
  readonly 'GET /webhooks': { readonly path: undefined; readonly body: undefined }
  /** One of them. */
  readonly 'GET /webhooks/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Tells a program elsewhere of every change, as batches of CloudEvents signed with `secret` (`X-Rappel-Signature`), at least once, those of one record in order: `url`, `tables`, `after` (the change to go on after; from now on where it is left out). */
  readonly 'PUT /webhooks/{name}': {
    readonly path: { readonly name: string | number }
    readonly body: { readonly url: string; readonly secret?: string; readonly tables?: readonly string[] | null; readonly after?: number | null }
  }
  /** Tells it no more. */
  readonly 'DELETE /webhooks/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Sender identities. */
  readonly 'GET /senders': { readonly path: undefined; readonly body: undefined }
  /** One sender identity. */
  readonly 'GET /senders/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Makes or changes a sender identity. */
  readonly 'PUT /senders/{name}': { readonly path: { readonly name: string | number }; readonly body: { readonly display: string; readonly address: string } }
  /** Removes a sender identity that nothing uses. */
  readonly 'DELETE /senders/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Channels for notices. */
  readonly 'GET /channels': { readonly path: undefined; readonly body: undefined }
  /** One channel. */
  readonly 'GET /channels/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Makes or changes a channel. */
  readonly 'PUT /channels/{name}': { readonly path: { readonly name: string | number }; readonly body: { readonly url: string; readonly secret?: string } }
  /** Removes a channel that nothing uses. */
  readonly 'DELETE /channels/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Calls a sender identity otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`. */
  readonly 'POST /senders/{name}/rename': { readonly path: { readonly name: string | number }; readonly body: { readonly to: string; readonly anyway?: boolean } }
  /** Calls a channel otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`. */
  readonly 'POST /channels/{name}/rename': { readonly path: { readonly name: string | number }; readonly body: { readonly to: string; readonly anyway?: boolean } }
  /** Keeps a file for a file field; the content is the body. */
  readonly 'POST /files': { readonly path: undefined; readonly body: undefined }
  /** A file. */
  readonly 'GET /files/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Files that mail attaches or shows. */
  readonly 'GET /library': { readonly path: undefined; readonly body: undefined }
  /** Keeps a file of the library; the content is the body. */
  readonly 'PUT /library/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Removes a file of the library that nothing uses. */
  readonly 'DELETE /library/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** The organisation’s settings. */
  readonly 'GET /settings': { readonly path: undefined; readonly body: undefined }
  /** Changes settings. */
  readonly 'PUT /settings': {
    readonly path: undefined
    readonly body: {
      readonly name?: string
      readonly locale?: string
      readonly zone?: string
      readonly currency?: string
      readonly sender?: { readonly name: string; readonly address: string }
      readonly sendingDomains?: readonly string[]
      readonly whyFooter?: boolean
      readonly whyDays?: number
      readonly keepMonths?: number
      readonly keepRunMonths?: number
      readonly keepTextMonths?: number
      readonly idleMinutes?: number
      readonly fileSize?: number
      readonly filesTotal?: number | null
      readonly mailPerDay?: number | null
      readonly mailPerHour?: number | null
      readonly quietHours?: { readonly from: string; readonly to: string; readonly days?: readonly number[] } | null
      readonly digestAt?: readonly string[] | null
      readonly digestWords?: { readonly subject: string; readonly body: string } | null
    }
  }
  /** Addresses that bounced for good and are no longer written to. */
  readonly 'GET /suppressions': { readonly path: undefined; readonly body: undefined }
  /** Lets mail go to an address again. */
  readonly 'DELETE /suppressions/{address}': { readonly path: { readonly address: string | number }; readonly body: undefined }
  /** Recipients outside who said stop, of which workflow and when. */
  readonly 'GET /stops': { readonly path: undefined; readonly body: undefined }
  /** Takes a stop back: mail of the workflow goes to the address again. */
  readonly 'DELETE /stops/{workflow}/{address}': { readonly path: { readonly workflow: string | number; readonly address: string | number }; readonly body: undefined }
  /** API tokens, without their secrets. */
  readonly 'GET /tokens': { readonly path: undefined; readonly body: undefined }
  /** Makes a token, which is shown once. */
  readonly 'POST /tokens': {
    readonly path: undefined
    readonly body: { readonly name: string; readonly role: 'administrator' | 'editor' | 'member'; readonly person?: string | null }
  }
  /** Revokes a token. */
  readonly 'DELETE /tokens/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** The audit log: who changed people, roles, tokens, settings, workflows, templates and tables, and who signed in; searched (`text`, `what`, `from`, `to`) and paged. */
  readonly 'GET /audit': { readonly path: undefined; readonly body: undefined }
  /** The audit log as lines of JSON, searched as the list is. */
  readonly 'GET /audit/export': { readonly path: undefined; readonly body: undefined }
  /** What is well and what is not: `findings`, each `{ ok, what, todo? }` in sentences. */
  readonly 'GET /doctor': { readonly path: undefined; readonly body: undefined }
  /** How sign-in by OpenID Connect is set, without its secret. */
  readonly 'GET /settings/openid': { readonly path: undefined; readonly body: undefined }
  /** Sets sign-in by OpenID Connect, once the issuer has answered. */
  readonly 'PUT /settings/openid': {
    readonly path: undefined
    readonly body: { readonly issuer: string; readonly clientId: string; readonly clientSecret?: string; readonly label: string; readonly domains: readonly string[] }
  }
  /** Ends sign-in by OpenID Connect. */
  readonly 'DELETE /settings/openid': { readonly path: undefined; readonly body: undefined }
  /** Where mail goes: `by` the environment, a setting, or the post room. Secrets are not in it. */
  readonly 'GET /settings/mail-server': { readonly path: undefined; readonly body: undefined }
  /** Sets the mail server, or with `place` 2 or 3 one to fall back on: `host`, `port`, `security` (STARTTLS, TLS, none), `user`, `password`, `dkim` (`domain`, `selector`, `key` in PEM; made where none is given), `mostRecipients` of one transaction, `perMinute` messages. Secrets that are left out stay. */
  readonly 'PUT /settings/mail-server': { readonly path: undefined; readonly body: undefined }
  /** Forgets the mail server, or that of a `place`; without any the post room takes the mail. */
  readonly 'DELETE /settings/mail-server': { readonly path: undefined; readonly body: undefined }
  /** Sends one mail by the `server` that is given as in PUT, or by the one used now, to `to`; answers `{ accepted, reply, said }`, the server’s own words. */
  readonly 'POST /settings/mail-server/try': { readonly path: undefined; readonly body: { readonly server?: Readonly<Record<string, unknown>> | null; readonly to?: string } }
  /** Lets an installation go on that waits, since it was restored, may be a copy, or was put back to an earlier state; `waiting`: what mail that waited then is to become, `send` or `call off`. */
  readonly 'POST /settings/wake': { readonly path: undefined; readonly body: { readonly waiting: 'send' | 'call off' } }
  /** Who is told by mail when something is wrong (`people`), and the `channel` that is told. */
  readonly 'GET /settings/told': { readonly path: undefined; readonly body: undefined }
  /** Has a `channel` told when something is wrong, the mail server that does not answer too, or none (null). */
  readonly 'PUT /settings/told': { readonly path: undefined; readonly body: { readonly channel: string | null } }
  /** How many shards changes are spread over, each handled by one worker at a time: `shards`, and which numbers there can be, `can`. */
  readonly 'GET /settings/shards': { readonly path: undefined; readonly body: undefined }
  /** Spreads changes over another number of `shards` while everything goes on; 409 as long as the change before that is not over. */
  readonly 'PUT /settings/shards': { readonly path: undefined; readonly body: { readonly shards: 16 | 32 | 64 | 128 | 256 | 512 | 1024 } }
  /** Replaces a secret that links are signed with: `why` or `account`. Links sent before lead nowhere. */
  readonly 'POST /settings/secrets/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Who one is, and one’s sessions. */
  readonly 'GET /account': { readonly path: undefined; readonly body: undefined }
  /** What came to one of each workflow of late, and what it would be as digests. */
  readonly 'GET /account/mail': { readonly path: undefined; readonly body: undefined }
  /** Asks for a workflow’s mail to oneself as digests (`gathered`), or one by one again. */
  readonly 'PUT /account/mail/{workflow}': { readonly path: { readonly workflow: string | number }; readonly body: undefined }
  /** Asks to be told by mail when something is wrong (`told`), or no more. */
  readonly 'PUT /account/told': { readonly path: undefined; readonly body: undefined }
  /** Changes one’s own password; one’s other sessions end. */
  readonly 'PUT /account/password': { readonly path: undefined; readonly body: undefined }
  /** Ends one’s other sessions. */
  readonly 'DELETE /account/sessions': { readonly path: undefined; readonly body: undefined }
  /** Ends one of one’s sessions. */
  readonly 'DELETE /account/sessions/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** People. */
  readonly 'GET /people': { readonly path: undefined; readonly body: undefined }
  /** Adds people from rows of a spreadsheet or a list of addresses (`text`), or changes those who are there by what the rows say; answers `people`, `problems` by row and `leftOut` headings. `look` does nothing. */
  readonly 'POST /people': { readonly path: undefined; readonly body: { readonly text: string; readonly look?: boolean } }
  /** One person. */
  readonly 'GET /people/{email}': { readonly path: { readonly email: string | number }; readonly body: undefined }
  /** Adds or changes somebody. */
  readonly 'PUT /people/{email}': {
    readonly path: { readonly email: string | number }
    readonly body: {
      readonly name?: string
      readonly first_name?: string | null
      readonly last_name?: string | null
      readonly phone?: string | null
      readonly team?: string | null
      readonly manager?: string | null
      readonly active?: boolean
      readonly role?: 'administrator' | 'editor' | 'member' | null
    }
  }
  /** Sends somebody an invitation by mail; those sent before count no more. */
  readonly 'POST /people/{email}/invitation': { readonly path: { readonly email: string | number }; readonly body: undefined }
  /** All that is kept of an address, here or outside: the person, records that hold it, wishes, what is set up with it, mail to it with its texts, mail to others and runs that speak of it. With `count=true` how many of the last three. */
  readonly 'GET /people/{email}/personal': { readonly path: { readonly email: string | number }; readonly body: undefined }
  /** Erases it; that there was a message, a run or a change stays. With `records=true` fields that hold the address are emptied as well, and mail to others no longer says it. `left` says what still has it. */
  readonly 'DELETE /people/{email}/personal': { readonly path: { readonly email: string | number }; readonly body: undefined }
  /** What somebody’s leaving touches. */
  readonly 'GET /people/{email}/uses': { readonly path: { readonly email: string | number }; readonly body: undefined }
  /** Ends somebody’s time here. */
  readonly 'POST /people/{email}/deactivate': { readonly path: { readonly email: string | number }; readonly body: { readonly successor?: string | null } }
  /** Gives somebody another e-mail (`to`), and whatever names them with it; mail that waits goes to the new one. 409 with the places, unless `anyway`. */
  readonly 'POST /people/{email}/rename': { readonly path: { readonly email: string | number }; readonly body: { readonly to: string; readonly anyway?: boolean } }
  /** What a live `workflow` would have sent to an address in 30 days, and with each limit that lessens it, by rehearsal. */
  readonly 'POST /people/{email}/offers': { readonly path: { readonly email: string | number }; readonly body: { readonly workflow: string; readonly [more: string]: unknown } }
  /** Groups. */
  readonly 'GET /groups': { readonly path: undefined; readonly body: undefined }
  /** One group. */
  readonly 'GET /groups/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Makes or changes a group. */
  readonly 'PUT /groups/{name}': {
    readonly path: { readonly name: string | number }
    readonly body: { readonly people?: readonly string[]; readonly addresses?: readonly string[] }
  }
  /** Deletes a group that no workflow names. */
  readonly 'DELETE /groups/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Calls a group otherwise (`to`), and whatever names it with it. 409 with the places, unless `anyway`. */
  readonly 'POST /groups/{name}/rename': { readonly path: { readonly name: string | number }; readonly body: { readonly to: string; readonly anyway?: boolean } }
  /** Calls a team otherwise (`to`) at everybody who is of it, and whatever names it with it. 409 with the places, unless `anyway`. */
  readonly 'POST /teams/{name}/rename': { readonly path: { readonly name: string | number }; readonly body: { readonly to: string; readonly anyway?: boolean } }
  /** The workflows. */
  readonly 'GET /workflows': { readonly path: undefined; readonly body: undefined }
  /** One workflow with its draft and live version. */
  readonly 'GET /workflows/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Saves the draft, also where the review finds errors, and answers the review. */
  readonly 'PUT /workflows/{name}': { readonly path: { readonly name: string | number }; readonly body: Workflow }
  /** Deletes a workflow with its versions and log. */
  readonly 'DELETE /workflows/{name}': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Sends the draft live; with `alreadyTrue` what fits now counts from now on. 409 with the review where it has errors. */
  readonly 'POST /workflows/{name}/live': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Pauses a workflow. What its limits hold stays held. */
  readonly 'POST /workflows/{name}/pause': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Sends or drops (`deed`) the mail that is held because the most of a day was reached. */
  readonly 'POST /workflows/{name}/held': { readonly path: { readonly name: string | number }; readonly body: { readonly deed: 'send' | 'drop' } }
  /** The mail that limits hold now: by workflow, why, and until when. */
  readonly 'GET /held': { readonly path: undefined; readonly body: undefined }
  /** Runs a workflow by hand: `press` (a UUID made for each press), `records`, `asked`. 202 with the runs; the same press again answers the same runs. With `dryRun` what it would do. */
  readonly 'POST /workflows/{name}/run': {
    readonly path: { readonly name: string | number }
    readonly body: {
      readonly press?: string
      readonly records?: readonly unknown[]
      readonly groups?: readonly unknown[]
      readonly asked?: Readonly<Record<string, unknown>>
      readonly dryRun?: boolean
    }
  }
  /** Words read into a workflow, with what was not understood. */
  readonly 'POST /read': { readonly path: undefined; readonly body: { readonly text: string; readonly table?: string } }
  /** Conditions proposed from past changes of a `table` that are marked, by their ids: `yes`, those that should have told somebody, and `no`, those that should not; others of the last `days` tell how much each lets through. Answers `proposals`, the simplest first, with how many changes are `alive` at each line, `ask`, the change whose mark would tell most, `contradictions`, and what is to be `said`; with `within`, the name of a workflow, clauses to be `added` to it, and how many firings `goes`. */
  readonly 'POST /propose': {
    readonly path: undefined
    readonly body: { readonly table: string; readonly yes: readonly number[]; readonly no: readonly number[]; readonly within?: string; readonly days?: number }
  }
  /** What this installation calls its things. */
  readonly 'GET /words': { readonly path: undefined; readonly body: undefined }
  /** How many records fit a draft’s conditions now. */
  readonly 'POST /fits': { readonly path: undefined; readonly body: { readonly workflow: Workflow; readonly [more: string]: unknown } }
  /** What one may run by hand, with the questions; for one `table`. */
  readonly 'GET /deeds': { readonly path: undefined; readonly body: undefined }
  /** What waits to have stayed so, or did: by `workflow`, `table`, `record`; `open` only what still waits. */
  readonly 'GET /stays': { readonly path: undefined; readonly body: undefined }
  /** Calls waits off, by `ids`. */
  readonly 'DELETE /stays': { readonly path: undefined; readonly body: { readonly ids: readonly number[]; readonly [more: string]: unknown } }
  /** Resumes a workflow. */
  readonly 'POST /workflows/{name}/resume': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** What running the changes that passed the workflow by would send; nothing is sent. */
  readonly 'GET /workflows/{name}/catch-up': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Runs the changes that passed the workflow by. */
  readonly 'POST /workflows/{name}/catch-up': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** A draft as JSON or YAML. */
  readonly 'GET /workflows/{name}/export': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Reads a workflow from JSON or YAML and keeps it as a draft. */
  readonly 'POST /workflows/import': { readonly path: undefined; readonly body: undefined }
  /** One’s own trial. */
  readonly 'GET /workflows/{name}/trial': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Arms the draft for real; all its mail goes to whoever armed it. */
  readonly 'POST /workflows/{name}/trial': {
    readonly path: { readonly name: string | number }
    readonly body: { readonly record?: unknown; readonly minutes?: number; readonly occasion?: Readonly<Record<string, unknown>> }
  }
  /** Ends one’s own trial. */
  readonly 'DELETE /workflows/{name}/trial': { readonly path: { readonly name: string | number }; readonly body: undefined }
  /** Dry run of a workflow on a change that is typed in, or on another `occasion`: a tick, a press. */
  readonly 'POST /try': {
    readonly path: undefined
    readonly body: {
      readonly workflow: Workflow
      readonly change?: unknown
      readonly occasion?: unknown
      readonly asOf?: unknown
      readonly saw?: unknown
      readonly [more: string]: unknown
    }
  }
  /** Runs the examples of a draft. */
  readonly 'POST /examples': { readonly path: undefined; readonly body: { readonly workflow: Workflow; readonly [more: string]: unknown } }
  /** What the newest changes make of a draft. */
  readonly 'POST /evidence': {
    readonly path: undefined
    readonly body: {
      readonly workflow: Workflow
      readonly sample?: unknown
      readonly part?: 'newest' | 'all'
      readonly was?: string | null
      readonly reach?: string
      readonly [more: string]: unknown
    }
  }
  /** Why a recorded change fired a workflow or did not. */
  readonly 'POST /why': { readonly path: undefined; readonly body: { readonly workflow: string; readonly change: number; readonly [more: string]: unknown } }
  /** What a draft would have done over a span. */
  readonly 'POST /rehearse': {
    readonly path: undefined
    readonly body: { readonly workflow: Workflow; readonly was?: string | null; readonly days?: number; readonly from?: string; readonly to?: string; readonly samples?: number }
  }
  /** What a line of the conditions stopped and let on. */
  readonly 'POST /rehearse/line': { readonly path: undefined; readonly body: { readonly workflow: Workflow; readonly path: string; readonly [more: string]: unknown } }
  /** Runs, filtered and paged. `state` failed and waiting mean their mail too. */
  readonly 'GET /runs': { readonly path: undefined; readonly body: undefined }
  /** Tries failed runs again. */
  readonly 'POST /runs/retry': { readonly path: undefined; readonly body: { readonly ids?: readonly number[]; readonly [more: string]: unknown } }
  /** Calls waiting runs off. */
  readonly 'POST /runs/cancel': { readonly path: undefined; readonly body: { readonly ids?: readonly number[]; readonly [more: string]: unknown } }
  /** Tries one failed run again, or the mail and notices that failed of one which did what it had to. */
  readonly 'POST /runs/{id}/retry': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Calls one waiting run off. */
  readonly 'POST /runs/{id}/cancel': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** One run with its trace and mail. */
  readonly 'GET /runs/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Runs as CSV or lines of JSON. */
  readonly 'GET /runs/export': { readonly path: undefined; readonly body: undefined }
  /** Messages as a mailbox file (RFC 4155). */
  readonly 'GET /messages/mbox': { readonly path: undefined; readonly body: undefined }
  /** Calls a waiting message off. */
  readonly 'POST /messages/{id}/cancel': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Mail, searched and paged. */
  readonly 'GET /messages': { readonly path: undefined; readonly body: undefined }
  /** One message, or its source as `{id}.eml`. */
  readonly 'GET /messages/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Sends a failed message again, to another address where `to` says so. */
  readonly 'POST /messages/{id}/retry': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Notices, searched and paged: `state`, `channel`, `workflow`, `run`, those to whoever calls (`mine`), and what they have not read (`unread`). */
  readonly 'GET /notices': { readonly path: undefined; readonly body: undefined }
  /** How many notices whoever calls has not read, up to a hundred. */
  readonly 'GET /notices/unread': { readonly path: undefined; readonly body: undefined }
  /** One notice. */
  readonly 'GET /notices/{id}': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Notes that whoever calls has read notices that are for them: those of `ids`, or all. Answers how many they had not. */
  readonly 'POST /notices/read': { readonly path: undefined; readonly body: undefined }
  /** Gives a channel a notice again that failed. */
  readonly 'POST /notices/{id}/retry': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Calls a notice off that waits for its channel, or that limits hold. */
  readonly 'POST /notices/{id}/cancel': { readonly path: { readonly id: string | number }; readonly body: undefined }
  /** Workflows, records, templates, people, runs and mail by words. */
  readonly 'GET /find': { readonly path: undefined; readonly body: undefined }
  /** This description. */
  readonly 'GET /openapi.json': { readonly path: undefined; readonly body: undefined }
}
