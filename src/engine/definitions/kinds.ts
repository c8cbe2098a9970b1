import type { Pool } from 'pg'
import type { Attach, Workflow } from '@/core/document/document'
import type { Figure } from '@/core/document/figure'
import { readWorkflow } from '@/core/document/schema'
import { readFigure } from '@/core/document/schema-figure'
import { membersOf } from '@/core/must'
import { reviewTemplate } from '@/core/review/template'
import { readTableDef } from '@/core/values/read-table'
import type { TableDef } from '@/core/values/tables'
import type { Template } from '@/core/workflow/surroundings'
import { transaction } from '@/store/database'
import { keepTable } from '@/store/design/keep-table'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { readNow } from '@/store/now'
import { listGroups, putGroup } from '@/store/people'
import { readSchema } from '@/store/tables'
import { listSenders, listTemplates, putSender, putTemplate } from '@/store/templates'
import { listWorkflows, pauseWorkflow, putLive, resumeWorkflow, saveDraft } from '@/store/workflows'
import { readReviewSetting, readSurroundings } from '../program'

/** How a workflow stands in the installation that it is taken from, kept with it. */
export interface KeptWorkflow {
  readonly state: 'draft' | 'live' | 'paused'
  readonly workflow: Workflow
}

/** A sentence or more about what keeps a definition from being read or taken over. */
export type Problems = { readonly problems: readonly string[] }

/** A kind of definition: what there is of it, how its files are read, and how one is taken over. What stands in a file is named, never numbered. */
export interface Kind<T> {
  readonly folder: string
  list(pool: Pool): Promise<ReadonlyMap<string, T>>
  read(name: string, given: Readonly<Record<string, unknown>>): { readonly value: T } | Problems
  /** What keeps it from being taken over as things stand; none where nothing does. */
  review?(pool: Pool, value: T, baseUrl: string): Promise<readonly string[]>
  put(pool: Pool, name: string, value: T, baseUrl: string): Promise<void>
}

const said = (problems: readonly { readonly path: string; readonly message: string }[]): Problems => ({ problems: problems.map((p) => `${p.path || '/'}: ${p.message}`) })

/** Members that have no value are left out, so that files do not change where nothing did. */
const withoutBlanks = <T extends object>(value: T): T => JSON.parse(JSON.stringify(value, (_, v) => (v === null || (Array.isArray(v) && v.length === 0) ? undefined : v)))

const tables: Kind<TableDef> = {
  folder: 'tables',
  list: async (pool) => {
    const own = [...(await readSchema(pool)).values()].filter((t) => t.name !== 'person' && !t.attached)
    return new Map(own.map(({ figures: _, attached: _a, ...table }) => [table.name, withoutBlanks(table)]))
  },
  read: (name, given) => {
    const read = readTableDef(name, given)
    return 'table' in read ? { value: withoutBlanks(read.table) } : said(read.problems)
  },
  put: (pool, _, table) => keepTable(pool, table, null),
}

interface GroupDef {
  readonly people: readonly string[]
  readonly addresses: readonly string[]
}

const isTexts = (value: unknown): value is string[] => Array.isArray(value) && value.every((v) => typeof v === 'string')

const groups: Kind<GroupDef> = {
  folder: 'groups',
  list: async (pool) => new Map((await listGroups(pool)).map(({ name, people, addresses }) => [name, { people, addresses }])),
  read: (_, { people = [], addresses = [] }) =>
    isTexts(people) && isTexts(addresses) ? { value: { people, addresses } } : { problems: ['people and addresses are lists of e-mail addresses.'] },
  put: (pool, name, { people, addresses }) => transaction(pool, (db) => putGroup(db, name, people, addresses)),
}

interface SenderDef {
  readonly display: string
  readonly address: string
}

const senders: Kind<SenderDef> = {
  folder: 'senders',
  list: async (pool) => new Map((await listSenders(pool)).map(({ name, display, address }) => [name, { display, address }])),
  read: (_, { display, address }) =>
    typeof display === 'string' && typeof address === 'string' ? { value: { display, address } } : { problems: ['A sender has a display and an address.'] },
  put: (pool, name, sender) => transaction(pool, (db) => putSender(db, { name, ...sender })),
}

const figures: Kind<Figure> = {
  folder: 'figures',
  list: async (pool) => new Map((await listFigures(pool)).map((row) => [row.name, row.definition])),
  read: (name, given) => {
    const read = readFigure({ ...given, name })
    return 'figure' in read ? { value: read.figure } : said(read.problems)
  },
  put: async (pool, _, figure, baseUrl) => {
    await putFigure(pool, figure, await readSurroundings(pool, baseUrl), await readNow(pool))
  },
}

const isAttach = (value: unknown): value is Attach => typeof value === 'object' && value !== null && ('file' in value || 'field' in value)
const isText = (value: unknown): value is string => typeof value === 'string'

const templates: Kind<Template> = {
  folder: 'templates',
  list: async (pool) => new Map((await listTemplates(pool)).map(({ version: _, ...template }) => [template.name, { ...template, attachments: template.attachments ?? [] }])),
  read: (name, { table, subject, body, format = 'rich', priority = 'normal', attachments = [] }) =>
    isText(table) &&
    isText(subject) &&
    isText(body) &&
    (format === 'rich' || format === 'plain') &&
    (priority === 'low' || priority === 'normal' || priority === 'high') &&
    Array.isArray(attachments)
      ? { value: { name, table, subject, body, format, priority, attachments: attachments.filter(isAttach) } }
      : { problems: ['A template has a table, a subject, a body, a format (rich, plain) and a priority (low, normal, high).'] },
  review: async (pool, template) => reviewTemplate(template, await readReviewSetting(pool)).map((f) => f.message),
  put: async (pool, _, template) => {
    await transaction(pool, (db) => putTemplate(db, template, null))
  },
}

const STATES = ['draft', 'live', 'paused'] as const

const workflows: Kind<KeptWorkflow> = {
  folder: 'workflows',
  list: async (pool) => new Map((await listWorkflows(pool)).map((row) => [row.name, { state: row.state, workflow: row.state === 'draft' ? row.draft : (row.live ?? row.draft) }])),
  read: (name, { state = 'draft', ...given }) => {
    const known = STATES.find((s) => s === state)
    if (!known) return { problems: [`state is ${STATES.join(', ')}.`] }
    const read = readWorkflow({ ...given, name })
    return 'workflow' in read ? { value: { state: known, workflow: read.workflow } } : said(read.problems)
  },
  put: putWorkflow,
}

/** Saves a workflow and lets it stand as it stood: live as its next version, where it is another than what is live. */
async function putWorkflow(pool: Pool, name: string, { state, workflow }: KeptWorkflow): Promise<void> {
  const before = (await listWorkflows(pool)).find((row) => row.name === name)
  await saveDraft(pool, name, workflow, null)
  if (state === 'draft') return
  const isOther = !before?.live || JSON.stringify(before.live) !== JSON.stringify(workflow)
  if (isOther) await putLive(pool, name, null)
  const now = (await listWorkflows(pool)).find((row) => row.name === name)?.state
  if (state === 'paused' && now === 'live') await pauseWorkflow(pool, name)
  if (state === 'live' && now === 'paused') await resumeWorkflow(pool, name)
}

/** Every kind, in the order in which they are taken over: what others are made of first. */
export const KIND_NAMES = ['tables', 'groups', 'senders', 'figures', 'templates', 'workflows'] as const
export type KindName = (typeof KIND_NAMES)[number]
export const KINDS: Readonly<Record<KindName, Kind<unknown>>> = { tables, groups, senders, figures, templates, workflows }

/** Whether a definition is a workflow, with how it stands. */
export const isKept = (value: unknown): value is KeptWorkflow => typeof value === 'object' && value !== null && 'workflow' in value && 'state' in value

/** A definition as it stands in its file: its name, then its members. */
export function asFile(kind: KindName, name: string, value: unknown): Record<string, unknown> {
  if (kind !== 'workflows' || !isKept(value)) return { name, ...membersOf(value) }
  const { state, workflow } = value
  const { rappel, name: _, note, table, cue, ...rest } = workflow
  return { state, rappel, name, ...(note === undefined ? {} : { note }), table, cue, ...rest }
}
